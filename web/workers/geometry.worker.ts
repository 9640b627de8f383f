import { expose, transfer } from 'comlink'
import {
  identityMotion,
  isGeometryError,
  motionFromRows,
  operationNamed,
  overlapPlane,
  quietContext,
  runOperation,
  soleLoss,
  transformPoints,
  vertexNormals,
  type Motion,
  type PointCloud,
  compareShapes,
  type Selection,
  type Shape,
  type TriangleMesh,
} from '@holosoma/core'
import { faceCross } from '@holosoma/core/linear'
import {
  countBits,
  facesOfRegion,
  indicesOf,
  type Combine,
  type DepthBuffer,
  type MeshRegion,
  type View,
} from '@holosoma/core/select'
import { snapOnCloud } from '@holosoma/core/align'
import { KdTree, pickFace, type Hit } from '@holosoma/core/spatial'
import { medianSpacing } from '@holosoma/core/cloud'
import { trialSkin, type EdgeLines, type SkinGround } from '@holosoma/core/fuse'
import type { EdgeWay } from '@holosoma/core/denoise'
import { liesApart, withEdges } from '@holosoma/core/operations'
import { cloudsOf, groundOf, type LaidTake } from './laid-takes'
import { facesOf, planeOfFaces } from './faces'
import { colouredOf } from './coloured'
import { fetchShape } from './fetch-shape'
import { markFaces, markOf, orderOf } from './marking'
import { calmed, fromTakes, noiseOn, type OnSkin, type Under } from './on-skin'
import { paint, type Before, type Stretch } from './painting'
import { sliceOf, spanOf } from './slicing'
import {
  aimAt,
  areaOf,
  choose,
  depthOf,
  hitsOf,
  pointUnder,
  prepareFor,
  underStroke,
  type Choice,
  type Laid,
  type NamedDepth,
  type PointerHit,
  type PointerRay,
  type Stroke,
} from './selecting'

/** What the stage needs to draw a shape. */
export interface DrawData {
  kind: 'cloud' | 'mesh'
  positions: Float32Array
  normals: Float32Array
  indices: Uint32Array | null
  evidence: Uint8Array | null
  colours: Uint8Array | null
  /** Of a mesh: which points’ colour photos told, see EVIDENCE. */
  colourEvidence?: Uint8Array | null
  /** Of a mesh with a picture on it: where each of its points has its colour, u and v, and the picture. */
  texture?: { uvs: Float32Array; picture: ImageBitmap } | null
}

export type Chosen = { bits: Uint8Array; count: number; mark: Uint8Array; areaMm2: number } | { error: string }

/** A refusal as an answer: errors lose their kind on the way to the page. */
async function refused<T>(run: () => Promise<T>): Promise<T | { error: string }> {
  try {
    return await run()
  } catch (error) {
    if (isGeometryError(error)) return { error: error.message }
    throw error
  }
}

/** What is painted on a skin, handed over without a copy. */
async function painted(tell: () => Promise<OnSkin>): Promise<OnSkin | { error: string }> {
  const found = await refused(tell)
  return 'error' in found ? found : transfer(found, [found.each.buffer])
}

const worker = {
  /** A mesh with its colours: with its picture where it has one, its points written once for each place in it. */
  async drawColoured(hash: string): Promise<DrawData> {
    const data = await colouredOf(await fetchShape(hash, 'preview'))
    const { texture } = data
    return transfer(data, [
      data.positions.buffer,
      data.normals.buffer,
      ...(texture ? [texture.uvs.buffer, texture.picture] : []),
    ] as Transferable[])
  },

  /** Arrays of the preview, ready to draw. */
  async draw(hash: string): Promise<DrawData> {
    const shape = await fetchShape(hash, 'preview')
    const data: DrawData = {
      kind: shape.kind,
      positions: shape.positions.slice(),
      normals:
        shape.normals?.slice() ??
        (shape.kind === 'mesh' ? vertexNormals(shape) : new Float32Array(shape.positions.length)),
      indices: shape.kind === 'mesh' ? shape.indices.slice() : null,
      evidence: shape.kind === 'mesh' ? (shape.evidence?.slice() ?? null) : null,
      colours: shape.colours?.slice() ?? null,
      colourEvidence: shape.kind === 'mesh' ? (shape.colourEvidence?.slice() ?? null) : null,
    }
    return transfer(data, [
      data.positions.buffer,
      data.normals.buffer,
      ...(data.indices ? [data.indices.buffer] : []),
      ...(data.evidence ? [data.evidence.buffer] : []),
      ...(data.colours ? [data.colours.buffer] : []),
    ])
  },

  /**
   * Nearest point of the full data under a ray, in the shape's own coordinates; `radiusMm` is how far off the ray a
   * point may lie.
   */
  async pick(
    hash: string,
    origin: [number, number, number],
    direction: [number, number, number],
    radiusMm: number,
  ): Promise<Hit | null> {
    const shape = await fetchShape(hash, 'whole')
    return shape.kind === 'cloud'
      ? pointUnder(shape, origin, direction, radiusMm)
      : pickFace(facesOf(shape), origin, direction)
  },

  /** Which way the surface of a mesh under a ray faces, towards the eye; null where there is none. */
  async normal(
    hash: string,
    origin: [number, number, number],
    direction: [number, number, number],
  ): Promise<[number, number, number] | null> {
    const shape = await fetchShape(hash, 'whole')
    if (shape.kind !== 'mesh') return null
    const bvh = facesOf(shape)
    const hit = pickFace(bvh, origin, direction)
    if (!hit || !bvh.closest(...hit.at)) return null
    const n = faceNormal(shape, bvh.result.face)
    const away = n[0] * direction[0] + n[1] * direction[1] + n[2] * direction[2] > 0
    return away ? (n.map((v) => -v) as [number, number, number]) : n
  },

  /** Points of the drawn mesh that lie in a region (1), and about how much surface that is. */
  async part(hash: string, region: MeshRegion): Promise<{ mark: Uint8Array; areaMm2: number } | { error: string }> {
    const found = await refused(async () => {
      const mesh = await fetchShape(hash, 'preview')
      if (mesh.kind !== 'mesh') return { mark: new Uint8Array(mesh.positions.length / 3), areaMm2: 0 }
      return markFaces(mesh, facesOfRegion(mesh, region))
    })
    return 'error' in found ? found : transfer(found, [found.mark.buffer])
  },

  /** The plane most of a region lies in, facing into the piece. */
  async planeOf(
    hash: string,
    region: MeshRegion,
  ): Promise<{ normal: [number, number, number]; offsetMm: number } | { error: string }> {
    return refused(async () => {
      const mesh = await fetchShape(hash, 'whole')
      const fit = mesh.kind === 'mesh' ? planeOfFaces(mesh, facesOfRegion(mesh, region)) : null
      return fit ?? { error: 'Nothing of the surface lies there.' }
    })
  },

  /** The plane through the middle of where two open surfaces overlap, facing to where the first has surface. */
  async overlapPlane(
    first: string,
    second: string,
  ): Promise<{ normal: [number, number, number]; offsetMm: number } | { error: string }> {
    return refused(async () => {
      const [a, b] = await Promise.all([first, second].map((hash) => fetchShape(hash, 'whole')))
      return a.kind === 'mesh' && b.kind === 'mesh' ? overlapPlane(a, b) : { error: 'Only skins can be spliced.' }
    })
  },

  /** The most pronounced place of a cloud's full data near a spot; the spot itself where there is none. */
  async snap(hash: string, at: [number, number, number], reachMm: number): Promise<[number, number, number]> {
    return snapOnCloud((await fetchShape(hash, 'whole')).positions, at, reachMm)
  },

  /** What a hand has chosen of the full data of these takes, with what was chosen before; one answer a take. */
  async choose(
    takes: readonly (Laid & { before: Uint8Array | null })[],
    choice: Choice,
    how: Combine,
    depth: NamedDepth | null,
  ): Promise<Chosen[]> {
    const out: Chosen[] = []
    for (const t of takes)
      out.push(
        await refused(async () => {
          const shape = await fetchShape(t.hash, 'whole')
          const bits = choose(shape, t.rows, choice, t.before, how, depth)
          const count = countBits(bits)
          return { bits, count, mark: markOf(bits, shape.positions.length / 3), areaMm2: areaOf(shape, count) }
        }),
      )
    return transfer(
      out,
      out.flatMap((a) => ('error' in a ? [] : [a.bits.buffer, a.mark.buffer])),
    )
  },

  /**
   * A stretch of the brush over these takes: what it changed on each; null where it is not known any more what was
   * chosen before.
   */
  async paint(
    takes: readonly (Laid & { before: Before })[],
    stroke: Stroke,
    how: 'add' | 'subtract',
  ): Promise<((Stretch & { areaMm2: number }) | { error: string } | null)[]> {
    const out = []
    for (const t of takes)
      out.push(
        await refused(async () => {
          const shape = await fetchShape(t.hash, 'whole')
          const stretch = paint(shape, shape.positions.length / 3, underStroke(shape, t.rows, stroke), how, t.before)
          return stretch && { ...stretch, areaMm2: areaOf(shape, stretch.count) }
        }),
      )
    return transfer(
      out,
      out.flatMap((a) => (a && 'changed' in a ? [a.changed.buffer, a.slots.buffer] : [])),
    )
  },

  /** Makes takes ready for the hand before it asks. */
  async prepare(takes: readonly Laid[]): Promise<void> {
    for (const t of takes) {
      const shape = await fetchShape(t.hash, 'whole')
      prepareFor(shape)
      if (shape.kind === 'cloud') orderOf(shape.positions.length / 3)
    }
  },

  /** Looks along a view before the hand has drawn on it: what remains when it lets go is the outline. */
  async aim(takes: readonly Laid[], view: View, depth: NamedDepth | null): Promise<void> {
    for (const t of takes) {
      const shape = await fetchShape(t.hash, 'whole')
      if (shape.kind === 'cloud') aimAt(shape, t.rows, view, depth)
    }
  },

  /** What is nearest on the stage, of these takes; the page lays the answers of several workers together. */
  async depth(takes: readonly Laid[], view: View): Promise<DepthBuffer | { error: string }> {
    const found = await refused(async () =>
      depthOf(
        await Promise.all(takes.map(async (t) => ({ shape: await fetchShape(t.hash, 'whole'), rows: t.rows }))),
        view,
      ),
    )
    return 'error' in found ? found : transfer(found, [found.nearest.buffer])
  },

  /** Where rays meet these takes: the nearest for each ray. */
  async hits(
    takes: readonly Laid[],
    rays: readonly PointerRay[],
  ): Promise<((PointerHit & { takeId: number }) | null)[]> {
    const best: ((PointerHit & { takeId: number }) | null)[] = rays.map(() => null)
    for (const t of takes)
      hitsOf(await fetchShape(t.hash, 'whole'), t.rows, rays).forEach((hit, i) => {
        if (hit && (!best[i] || hit.depthMm < best[i].depthMm)) best[i] = { ...hit, takeId: t.takeId }
      })
    return best
  },

  /** Well-seen surface among chosen points that no other joined take has, in words; null where there is none. */
  async soleLoss(take: Laid, bits: Uint8Array, others: readonly Laid[]): Promise<string | null> {
    const cloud = (await fetchShape(take.hash, 'whole')) as PointCloud
    const at = (rows: number[][] | null): Motion => (rows ? motionFromRows(rows, 'take') : identityMotion())
    const laid = await Promise.all(
      others.map(async (o) => ({ cloud: (await fetchShape(o.hash, 'preview')) as PointCloud, motion: at(o.rows) })),
    )
    return soleLoss(cloud, indicesOf(bits), { own: at(take.rows), others: laid }, quietContext())?.text ?? null
  },

  /** Runs a tidy operation without applying it: what would go, as bits over the full data. */
  async previewCut(
    hash: string,
    operation: string,
    params: object,
    bench: string | null = null,
  ): Promise<{ bits: Uint8Array; count: number; text: string; mark: Uint8Array; areaMm2: number } | { error: string }> {
    return refused(async () => {
      const take = await fetchShape(hash, 'whole')
      const { outputs, figures, findings } = await runOperation(
        operationNamed(operation),
        { take, ...(bench && { bench: await fetchShape(bench, 'whole') }) },
        { ...params, apply: false },
        quietContext(),
      )
      const selection = outputs.selection as Selection
      return {
        bits: selection.bits,
        count: Number(figures.cut),
        text: findings[0]?.text ?? '',
        mark: markOf(selection.bits, take.positions.length / 3),
        areaMm2: areaOf(take, Number(figures.cut)),
      }
    })
  },

  /** Distance of each preview point of one take to the nearest point of the others, all through their motions, mm. */
  async residuals(
    hash: string,
    rows: number[][],
    others: { hash: string; rows: number[][] }[],
    limitMm: number,
  ): Promise<Float32Array> {
    const own = await fetchShape(hash, 'preview')
    const p = transformPoints(motionFromRows(rows, 'take'), own.positions)
    const out = new Float32Array(p.length / 3).fill(NaN)
    for (const other of others) {
      const shape = (await fetchShape(other.hash, 'whole')) as PointCloud
      const q = transformPoints(motionFromRows(other.rows, 'take'), shape.positions)
      const normals = shape.normals ? transformPoints(turnOnly(other.rows), shape.normals) : null
      const tree = new KdTree(q)
      for (let i = 0; i < out.length; i++) {
        const j = tree.nearest(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], limitMm * limitMm)
        if (j < 0) continue
        const d = normals
          ? Math.abs(
              normals[j * 3] * (p[i * 3] - q[j * 3]) +
                normals[j * 3 + 1] * (p[i * 3 + 1] - q[j * 3 + 1]) +
                normals[j * 3 + 2] * (p[i * 3 + 2] - q[j * 3 + 2]),
            )
          : Math.sqrt(tree.lastDistance2)
        if (Number.isNaN(out[i]) || d < out[i]) out[i] = d
      }
    }
    return transfer(out, [out.buffer])
  },

  async span(
    hash: string,
    rows: number[][],
    axis: 0 | 1 | 2,
  ): Promise<{ low: number; high: number; spacingMm: number }> {
    return spanOf(await fetchShape(hash, 'whole'), rows, axis)
  },

  async slice(hash: string, rows: number[][], axis: 0 | 1 | 2, atMm: number, halfMm: number): Promise<Float32Array> {
    const out = sliceOf(await fetchShape(hash, 'whole'), rows, axis, atMm, halfMm)
    return transfer(out, [out.buffer])
  },

  /**
   * How far what is drawn of some shapes lies from others, mm: beyond their surface is more than 0, inside less; from
   * points it has no sign. One list a shape, a value a point that is drawn.
   */
  async differ(
    of: { hash: string; rows: number[][] | null }[],
    from: { hash: string; rows: number[][] | null }[],
  ): Promise<{ each: Float32Array[]; signed: boolean; meanMm: number; p95Mm: number; maxMm: number }> {
    const laid = async (s: { hash: string; rows: number[][] | null }, as: 'whole' | 'preview'): Promise<Shape> => {
      const shape = await fetchShape(s.hash, as)
      if (!s.rows) return shape
      const { normals } = shape
      const turned =
        normals &&
        unit(
          placedBy(
            s.rows.map((r) => [...r.slice(0, 3), 0]),
            normals,
          ),
        )
      return { ...shape, positions: placedBy(s.rows, shape.positions), ...(turned && { normals: turned }) }
    }
    const others = await Promise.all(from.map((s) => laid(s, 'whole')))
    const [first] = others
    const shapes = await Promise.all(of.map((s) => laid(s, 'preview')))
    const told =
      others.length === 1 && first.kind === 'mesh'
        ? shapes.map((s) => compareShapes(s, first, quietContext()))
        : shapes.map((s) => compareWithPoints(s.positions, others))
    const all = Float32Array.from(told.flatMap((t) => Array.from(t.distanceMm, Math.abs))).sort()
    const each = told.map((t) => t.distanceMm)
    return transfer(
      {
        each,
        signed: told.every((t) => t.signed),
        meanMm: all.reduce((s, v) => s + v, 0) / Math.max(1, all.length),
        p95Mm: all[Math.floor(all.length * 0.95)] ?? 0,
        maxMm: all.at(-1) ?? 0,
      },
      each.map((e) => e.buffer),
    )
  },

  /** What a skin over the takes will have to cover, from a coarse one made on the spot. */
  async skinGround(takes: readonly LaidTake[], closed: boolean): Promise<SkinGround> {
    return trialSkin(await cloudsOf(takes, 'preview'), closed)
  },

  /** The edges that the takes tell of, as they would run over a skin. */
  async edges(
    hash: string,
    takes: readonly LaidTake[],
    up: readonly number[] | null,
    choice: 'careful' | 'strong',
  ): Promise<EdgeLines | { error: string }> {
    const found = await refused(async () => {
      const mesh = await fetchShape(hash, 'whole')
      if (mesh.kind !== 'mesh') throw new Error('edges are looked for on a skin')
      const { names, ...ground } = await groundOf(takes)
      return withEdges({ ...ground, mesh }, { names, up: up && [...up], choice }, quietContext()).edges
    })
    return 'error' in found ? found : transfer(found, [found.segments.buffer])
  },

  /** How far the drawn skin lies from its takes' points, NaN where there are none, and what all of it comes to. */
  fromTakes: (hash: string, under: Under) => painted(() => fromTakes(hash, under)),

  /** Noise place by place: of the skin, or of the takes under it. */
  noise: (hash: string, under: Under | null) => painted(() => noiseOn(hash, under)),

  /** How far each point would move if noise were taken off. */
  calmed: (hash: string, capMm: number, edges: EdgeWay) => painted(() => calmed(hash, capMm, edges)),

  /** Points of the drawn skin (1) where its takes do not agree. */
  async apart(
    hash: string,
    takes: readonly LaidTake[],
    up: readonly number[] | null,
    spacingMm: number,
  ): Promise<Uint8Array> {
    const mesh = await fetchShape(hash, 'preview')
    if (mesh.kind !== 'mesh') return new Uint8Array(mesh.positions.length / 3)
    const { names, ...ground } = await groundOf(takes)
    const mark = liesApart(mesh, ground, { names, up }, spacingMm, quietContext())
    return transfer(mark, [mark.buffer])
  },
}

/** Points this many spacings away along the surface are another place of it. */
const FAR_SPACINGS = 3

/** Distance of places to the surface that points stand for: across it, where they know which way it faces. */
function compareWithPoints(
  p: Float32Array,
  parts: readonly Shape[],
): { readonly distanceMm: Float32Array; readonly signed: boolean } {
  const positions = joinedPositions(parts)
  const normals = parts.every((s) => s.normals) ? joinedPositions(parts.map((s) => ({ positions: s.normals! }))) : null
  const tree = new KdTree(positions)
  const reach = FAR_SPACINGS * medianSpacing({ positions })
  const distanceMm = new Float32Array(p.length / 3)
  for (let i = 0; i < distanceMm.length; i++) {
    const q = tree.nearest(p[i * 3], p[i * 3 + 1], p[i * 3 + 2]) * 3
    const away = Math.sqrt(tree.lastDistance2)
    if (!normals) {
      distanceMm[i] = away
      continue
    }
    const across = [0, 1, 2].reduce((s, c) => s + normals[q + c] * (p[i * 3 + c] - positions[q + c]), 0)
    distanceMm[i] = away <= reach ? across : Math.sign(across || 1) * away
  }
  return { distanceMm, signed: normals !== null }
}

/** Places by rows that may make things larger, too. */
function placedBy(rows: number[][], p: Float32Array): Float32Array {
  const out = new Float32Array(p.length)
  for (let i = 0; i < p.length; i += 3)
    for (let r = 0; r < 3; r++)
      out[i + r] = rows[r][0] * p[i] + rows[r][1] * p[i + 1] + rows[r][2] * p[i + 2] + rows[r][3]
  return out
}

/** Directions of length 1. */
function unit(n: Float32Array): Float32Array {
  for (let i = 0; i < n.length; i += 3) {
    const l = Math.hypot(n[i], n[i + 1], n[i + 2]) || 1
    for (let c = 0; c < 3; c++) n[i + c] /= l
  }
  return n
}

function joinedPositions(parts: readonly { readonly positions: Float32Array }[]): Float32Array {
  const all = new Float32Array(parts.reduce((n, p) => n + p.positions.length, 0))
  parts.reduce((at, p) => (all.set(p.positions, at), at + p.positions.length), 0)
  return all
}

function faceNormal({ positions, indices }: TriangleMesh, face: number): [number, number, number] {
  const cross = new Float64Array(3)
  const l =
    faceCross(positions, indices[face * 3] * 3, indices[face * 3 + 1] * 3, indices[face * 3 + 2] * 3, cross) || 1
  return [cross[0] / l, cross[1] / l, cross[2] / l]
}

function turnOnly(rows: number[][]): Float64Array {
  const m = motionFromRows(rows, 'take')
  m[3] = 0
  m[7] = 0
  m[11] = 0
  return m
}

export type GeometryWorker = typeof worker
expose(worker)
