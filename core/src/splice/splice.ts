import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { mm } from '../findings'
import { cutByPlane } from '../mesh/cut-plane'
import { vertexNormals } from '../mesh/normals'
import { boundaryLoops, borderPoints, edgeTopology, type BoundaryLoop } from '../mesh/topology'
import { evenEdgeMm } from '../mesh/sample-surface'
import { dropUnusedVertices, weldVertices } from '../mesh/weld'
import { attributesOf, EVIDENCE, POINT_ATTRIBUTES, type TriangleMesh } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { zipRims } from './zip-rims'

export interface SpliceOptions {
  /** Points to the side on which the first stays; of length 1. */
  readonly normal: readonly number[]
  readonly offsetMm: number
  /** How far from the cut each goes over into the other, mm. */
  readonly bandMm: number
}

export interface Spliced {
  readonly mesh: TriangleMesh
  readonly rims: number
  /** How far the two lay apart at the cut, and how far they do now, across the surface: mean, mm. */
  readonly stepBeforeMm: number
  readonly stepMm: number
  /** Farthest a point was moved, mm. */
  readonly mostMm: number
  /** How wide the gap was that was zipped, mm. */
  readonly gapMm: number
  /** Share of the cut's points under which the other lies. */
  readonly overlap: number
}

/** The other surface is looked for so many bands away. */
const REACH_BANDS = 1
/** A place is under the other surface where it lies aside of the nearest point of it by less than so many edges. */
const ASIDE_EDGES = 0.25
/** Less of the cut than this under the other: they do not overlap there. */
const LEAST_OVERLAP = 0.75
/** Two normals of one surface agree by more than this cosine. */
const LEAST_FACING = 0.5

/**
 * Two surfaces of one piece made one along a plane: the first stays above it, the second below. In a band each goes over
 * into the other, by half their distance at the cut and nothing at the band's end, and the gap between their rims is
 * zipped up. What lies outside the band does not move.
 * @throws EMPTY where the plane misses one of them, CONFLICT where they do not overlap at the plane or are cut into
 * different rims there
 */
export function splice(
  firstInput: TriangleMesh,
  secondInput: TriangleMesh,
  { normal, offsetMm, bandMm }: SpliceOptions,
  context: RunContext,
): Spliced {
  const originals = [weldVertices(firstInput), weldVertices(secondInput)] as const
  const gapMm = Math.max(evenEdgeMm(originals[0]), evenEdgeMm(originals[1]))
  if (!(bandMm > gapMm))
    throw new GeometryError('PARAMS', `The band must be wider than the triangles: more than ${mm(gapMm)}.`)
  const sides = [1, -1] as const
  const cuts = sides.map((side, i) =>
    dropUnusedVertices(
      cutByPlane(
        originals[i],
        { normal: normal.map((v) => v * side), offsetMm: side * offsetMm + gapMm / 2 },
        false,
        stage(context, 0.15 * i, 0.15 * (i + 1)),
      ).mesh,
    ),
  )
  checkpoint(context, 0.3, 1, 'Laying the two into each other')
  const heightOf = (p: Float32Array, v: number): number =>
    normal[0] * p[v * 3] + normal[1] * p[v * 3 + 1] + normal[2] * p[v * 3 + 2] - offsetMm
  const rims = cuts.map((cut, i) =>
    rimsAt(cut, (v) => Math.abs(sides[i] * heightOf(cut.positions, v) - gapMm / 2), gapMm),
  )
  if (rims[0].length === 0 || rims[0].length !== rims[1].length)
    throw new GeometryError(
      'CONFLICT',
      `The plane cuts the first along ${rims[0].length} rims and the second along ${rims[1].length}; lay it where both are cut alike.`,
    )
  const moved = cuts.map((cut, i) =>
    blended(cut, originals[1 - i], rims[i], (v) => sides[i] * heightOf(cut.positions, v), bandMm, gapMm),
  )
  const overlap = Math.min(moved[0].overlap, moved[1].overlap)
  if (overlap < LEAST_OVERLAP)
    throw new GeometryError(
      'CONFLICT',
      `The two lie on each other along ${Math.round(overlap * 100)} % of the cut only; lay the plane where both have surface.`,
    )
  checkpoint(context, 0.7, 1, 'Zipping the rims up')
  const whole = together(moved[0].mesh, moved[1].mesh)
  const shift = moved[0].mesh.positions.length / 3
  const faces: number[] = []
  const { positions: p } = whole
  const free = new Set(rims[1].map((_, k) => k))
  let step = 0,
    steps = 0
  const normals = vertexNormals(whole)
  for (const { vertices } of rims[0]) {
    const other = nearestRim(p, vertices, rims[1], shift, free)
    if (other < 0) throw new GeometryError('CONFLICT', 'The rims of the two do not run along each other at the plane.')
    free.delete(other)
    const band = zipRims(
      p,
      vertices,
      rims[1][other].vertices.map((v) => v + shift),
    )
    faces.push(...band)
    for (let f = 0; f < band.length; f += 3) {
      // Two corners of one rim and one of the other.
      const one = [band[f], band[f + 1], band[f + 2]]
      const alone = one.find((v) => one.filter((w) => w < shift === v < shift).length === 1)!
      const across = one.find((w) => w < shift !== alone < shift)!
      step += Math.abs(offAcross(p, normals, alone, across))
      steps++
    }
  }
  const indices = new Uint32Array(whole.indices.length + faces.length)
  indices.set(whole.indices)
  indices.set(faces, whole.indices.length)
  const { originMm } = firstInput
  return {
    mesh: { ...whole, indices, ...(originMm && { originMm }) },
    rims: rims[0].length,
    stepBeforeMm: (moved[0].stepMm + moved[1].stepMm) / 2,
    stepMm: steps > 0 ? step / steps : 0,
    mostMm: Math.max(moved[0].mostMm, moved[1].mostMm),
    gapMm,
    overlap,
  }
}

/** How far a point lies off the middle of two that face each other, along the mean of their normals, mm. */
function offAcross(p: Float32Array, n: Float32Array, a: number, b: number): number {
  let off = 0,
    l = 0
  for (let c = 0; c < 3; c++) {
    const m = n[a * 3 + c] + n[b * 3 + c]
    off += m * (p[a * 3 + c] - p[b * 3 + c])
    l += m * m
  }
  return l > 0 ? off / Math.sqrt(l) : 0
}

/** The rims that lie in the cut. @param away how far a point lies from it */
function rimsAt(cut: TriangleMesh, away: (v: number) => number, gapMm: number): BoundaryLoop[] {
  return boundaryLoops(cut, edgeTopology(cut)).filter(({ vertices }) => vertices.every((v) => away(v) < gapMm * 1e-3))
}

/** The surface with its points near the cut moved half way to the other, less and less with their height. */
function blended(
  cut: TriangleMesh,
  other: TriangleMesh,
  rims: readonly BoundaryLoop[],
  heightOf: (v: number) => number,
  bandMm: number,
  gapMm: number,
): { mesh: TriangleMesh; stepMm: number; overlap: number; mostMm: number } {
  const bvh = new TriangleBvh(other)
  const facing = vertexNormals(other),
    ownNormals = vertexNormals(cut)
  const ends = borderPoints(other)
  const p = cut.positions.slice()
  const evidence = cut.evidence?.slice()
  const onRim = new Uint8Array(p.length / 3)
  for (const { vertices } of rims) for (const v of vertices) onRim[v] = 1
  const reachMm = REACH_BANDS * bandMm,
    asideMm = ASIDE_EDGES * gapMm
  let under = 0,
    asked = 0,
    step = 0,
    mostMm = 0
  for (let v = 0; v < onRim.length; v++) {
    const height = heightOf(v)
    if (height >= bandMm) continue
    const k = v * 3
    if (onRim[v]) asked++
    const n = [ownNormals[k], ownNormals[k + 1], ownNormals[k + 2]]
    if (!bvh.closest(p[k], p[k + 1], p[k + 2], reachMm * reachMm)) continue
    const { face, x, y, z, u, v: w, w: t } = bvh.result
    const corners = [0, 1, 2].map((c) => other.indices[face * 3 + c])
    const share = [u, w, t]
    // Beyond its border the other has no surface that could be gone over into.
    if (corners.some((c, i) => ends[c] && share[i] > 1 - 1e-6)) continue
    const faces = corners.reduce(
      (s, c, i) => s + share[i] * (facing[c * 3] * n[0] + facing[c * 3 + 1] * n[1] + facing[c * 3 + 2] * n[2]),
      0,
    )
    if (faces < LEAST_FACING) continue
    const way = [x - p[k], y - p[k + 1], z - p[k + 2]]
    const off = way[0] * n[0] + way[1] * n[1] + way[2] * n[2]
    const aside2 = way[0] ** 2 + way[1] ** 2 + way[2] ** 2 - off * off
    if (aside2 > asideMm * asideMm + (0.2 * off) ** 2) continue
    if (onRim[v]) {
      under++
      step += Math.abs(off)
    }
    const s = Math.max(0, Math.min(1, height / bandMm))
    const share2 = 0.5 * (1 - s * s * (3 - 2 * s))
    // The gap between the rims is to be bridged as if both met in its middle.
    for (let c = 0; c < 3; c++) p[k + c] += share2 * way[c]
    mostMm = Math.max(mostMm, share2 * Math.hypot(...way))
    if (evidence && share2 * Math.abs(off) > 0) evidence[v] = Math.max(evidence[v], EVIDENCE.carried)
  }
  const { normals: _old, ...rest } = cut
  return {
    mesh: { ...rest, positions: p, ...(evidence && { evidence }) },
    stepMm: under > 0 ? step / under : 0,
    overlap: asked > 0 ? under / asked : 0,
    mostMm,
  }
}

/** The rim of the second that runs nearest along one of the first; −1 where none is left. */
function nearestRim(
  p: Float32Array,
  rim: Int32Array,
  others: readonly BoundaryLoop[],
  shift: number,
  free: ReadonlySet<number>,
): number {
  let best = -1,
    best2 = Infinity
  const some = Array.from(
    { length: Math.min(24, rim.length) },
    (_, i) => rim[Math.floor((i * rim.length) / Math.min(24, rim.length))],
  )
  for (const k of free) {
    let sum = 0
    for (const v of some) {
      let near = Infinity
      for (const w of others[k].vertices) {
        const u = w + shift
        near = Math.min(
          near,
          (p[u * 3] - p[v * 3]) ** 2 + (p[u * 3 + 1] - p[v * 3 + 1]) ** 2 + (p[u * 3 + 2] - p[v * 3 + 2]) ** 2,
        )
      }
      sum += near
    }
    if (sum < best2) {
      best2 = sum
      best = k
    }
  }
  return best
}

/** Two meshes in one; what only one of them knows of its points, the other has none of. */
function together(first: TriangleMesh, second: TriangleMesh): TriangleMesh {
  const points = first.positions.length / 3,
    all = points + second.positions.length / 3
  const positions = new Float32Array(all * 3)
  positions.set(first.positions)
  positions.set(second.positions, points * 3)
  const indices = new Uint32Array(first.indices.length + second.indices.length)
  indices.set(first.indices)
  second.indices.forEach((v, i) => (indices[first.indices.length + i] = v + points))
  const known = new Set([...attributesOf(first), ...attributesOf(second)].map(({ name }) => name))
  const attributes = [...known].flatMap((name) => {
    const { width, Store, blank } = POINT_ATTRIBUTES[name]
    if (blank === undefined) return []
    const values = new Store(all * width).fill(blank)
    // Nobody says how it came to be: neither that it was measured, nor that it was made up.
    if (name === 'evidence') values.fill(EVIDENCE.carried)
    for (const [mesh, at] of [
      [first, 0],
      [second, points],
    ] as const) {
      const own = attributesOf(mesh).find((a) => a.name === name)
      if (own) values.set(own.values, at * width)
    }
    return [[name, values] as const]
  })
  return { kind: 'mesh', positions, indices, ...Object.fromEntries(attributes) }
}
