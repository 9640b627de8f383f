import { quietContext, vertexNormals, weldVertices, type Shape, type TriangleMesh } from '@holosoma/core'
import { denoise, noiseEach, type EdgeWay } from '@holosoma/core/denoise'
import { distanceFromTakes, noiseOfTakes } from '@holosoma/core/operations'
import { KdTree } from '@holosoma/core/spatial'
import { fetchShape } from './fetch-shape'
import { groundOf, type LaidTake } from './laid-takes'

/** A length at each point of a skin, painted on it, and what all of them come to. */
export interface OnSkin {
  /** A value a point that is drawn, mm; NaN where nothing is known. */
  readonly each: Float32Array
  /** Whether the sides of the surface are told apart. */
  readonly signed: boolean
  /** Share of its points of which nothing is known. */
  readonly unseenShare: number
  readonly meanMm: number
  readonly p95Mm: number
  readonly maxMm: number
}

/** How the takes lie under the skin that is asked about. */
export interface Under {
  readonly takes: readonly LaidTake[]
  readonly up: readonly number[] | null
  readonly scale: number
}

/** How far the drawn skin lies from its takes' points. */
export async function fromTakes(hash: string, under: Under): Promise<OnSkin> {
  const { names, ...ground } = await groundOf(under.takes)
  return onBoth(hash, true, (mesh) => distanceFromTakes(mesh, ground, { ...under, names }, quietContext()))
}

/** Noise place by place: of the skin itself, or of the takes it is made of. */
export async function noiseOn(hash: string, under: Under | null): Promise<OnSkin> {
  if (!under) return onBoth(hash, false, noiseEach)
  const { names, ...ground } = await groundOf(under.takes)
  return onBoth(hash, false, (mesh) => noiseOfTakes(mesh, ground, { ...under, names }, quietContext()))
}

/** How far each point of a skin would move if its noise were taken off, outwards more than 0. */
export async function calmed(hash: string, capMm: number, edges: EdgeWay): Promise<OnSkin> {
  const before = weldVertices(meshOf(await fetchShape(hash, 'whole')))
  const { positions: p } = before
  const { positions: to } = denoise(before, { capMm, edges }, quietContext()).mesh
  const normals = vertexNormals(before)
  const all = Float32Array.from({ length: p.length / 3 }, (_, v) => {
    let out = 0
    for (let k = v * 3; k < v * 3 + 3; k++) out += (to[k] - p[k]) * normals[k]
    return out
  })
  const drawn = meshOf(await fetchShape(hash, 'preview')).positions
  if (drawn.length === p.length) return summed(all, all, true)
  const tree = new KdTree(p)
  return summed(
    Float32Array.from(
      { length: drawn.length / 3 },
      (_, v) => all[tree.nearest(drawn[v * 3], drawn[v * 3 + 1], drawn[v * 3 + 2])],
    ),
    all,
    true,
  )
}

/** The same of what is drawn, and of all of it where that is more. */
async function onBoth(hash: string, signed: boolean, tell: (mesh: TriangleMesh) => Float32Array): Promise<OnSkin> {
  const drawn = meshOf(await fetchShape(hash, 'preview'))
  const each = tell(drawn)
  const whole = meshOf(await fetchShape(hash, 'whole'))
  return summed(each, whole.positions.length === drawn.positions.length ? each : tell(whole), signed)
}

function summed(each: Float32Array, all: Float32Array, signed: boolean): OnSkin {
  const sizes = all.filter((d) => !Number.isNaN(d)).map(Math.abs)
  sizes.sort()
  return {
    each,
    signed,
    unseenShare: 1 - sizes.length / Math.max(1, all.length),
    meanMm: sizes.reduce((s, v) => s + v, 0) / Math.max(1, sizes.length),
    p95Mm: sizes[Math.floor(sizes.length * 0.95)] ?? 0,
    maxMm: sizes.at(-1) ?? 0,
  }
}

function meshOf(shape: Shape): TriangleMesh {
  if (shape.kind !== 'mesh') throw new Error('This is asked of a skin only.')
  return shape
}
