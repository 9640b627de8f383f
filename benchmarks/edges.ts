/**
 * Edges of the cleat: the zone beside its true edges in which the skin faces wrongly, the radius left at them, and the
 * scatter of its flats; and how much the other pieces are changed that have hardly an edge.
 *   npx tsx benchmarks/edges.ts [spacing …]
 */
import {
  captureTake,
  checkHealth,
  compareShapes,
  quietContext,
  TABLETOP_DEVICE,
  type TriangleMesh,
} from '@holosoma/core'
import { DEMO_PIECES, type DemoPiece } from '../core/src/bench/pieces'
import { BRASS_CLEAT, CLEAT_HALF_WIDTH, CLEAT_HOLE, CLEAT_OUTLINE } from '../core/src/bench/pieces/cleat'
import { NOISE_ONLY } from '../core/src/bench/settings'
import { estimateFeatures } from '../core/src/cloud/normals'
import { keepEdges } from '../core/src/crease/keep-edges'
import { denoise, EDGE_WAYS } from '../core/src/denoise/denoise'
import { faceNeighbours, filterNormals } from '../core/src/denoise/face-normals'
import { facetsOf } from '../core/src/mesh/facets'
import { noiseOf } from '../core/src/denoise/noise'
import { flatRegions } from '../core/src/denoise/flat-regions'
import { gatherPoints, type FuseTake } from '../core/src/fuse/points'
import { makeSkin } from '../core/src/fuse/skin'
import { faceCross } from '../core/src/linear/face-cross'
import { invertRigid } from '../core/src/linear/rigid'
import { NEW_TAKE } from '../core/src/plan/takes'
import { pickPoints } from '../core/src/shapes'
import { KdTree } from '../core/src/spatial/kd-tree'
import { quantile, seconds } from './lib'

type Vector = readonly [number, number, number]
interface EdgeSample {
  readonly at: Vector
  readonly n1: Vector
  readonly n2: Vector
  /** 1 outwards, −1 inwards. */
  readonly turn: 1 | -1
  /** Normals' angle, radians. */
  readonly angle: number
  /** Ends of the edge are so far off, mm. */
  readonly toEndMm: number
}

const STEP_MM = 0.1
const dot = (a: Vector, b: Vector): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2]

/** Three takes of a piece in its own frame, matt, range noise alone. */
function takesOf(piece: DemoPiece, spacingMm: number, seed: number): FuseTake[] {
  return [0, 90, 180].map((aboutXDeg, i) => {
    const plan = { ...NEW_TAKE, name: `take ${i}`, pose: 'custom' as const, aboutXDeg, elevationDeg: 40, steps: 12 }
    const { cloud, truth } = captureTake(piece, plan, TABLETOP_DEVICE, seed + i, quietContext(), {
      spacingMm,
      faults: NOISE_ONLY,
    })
    const keep: number[] = []
    for (let k = 0; k < cloud.positions.length / 3; k++) if (cloud.positions[k * 3 + 2] > 0.6) keep.push(k)
    const bare = pickPoints(cloud, keep)
    return {
      cloud: { ...bare, normals: estimateFeatures(bare, quietContext()).normals },
      motion: invertRigid(truth),
    }
  })
}

function cleatEdges(): EdgeSample[] {
  const o = CLEAT_OUTLINE,
    n = o.length / 2
  const out: EdgeSample[] = []
  const corner = (i: number): [number, number] => [o[((i + n) % n) * 2], o[((i + n) % n) * 2 + 1]]
  /** Outward normal of the side from corner i on. */
  const normal = (i: number): Vector => {
    const [ax, az] = corner(i),
      [bx, bz] = corner(i + 1)
    const l = Math.hypot(bx - ax, bz - az)
    // The outline runs against the clock seen with z up: outside is to the right.
    return [(bz - az) / l, 0, -(bx - ax) / l]
  }
  const add = (from: Vector, to: Vector, n1: Vector, n2: Vector, turn: 1 | -1): void => {
    const d = to.map((x, c) => x - from[c])
    const length = Math.hypot(...d)
    for (let s = STEP_MM / 2; s < length; s += STEP_MM)
      out.push({
        at: from.map((x, c) => x + (d[c] * s) / length) as unknown as Vector,
        n1,
        n2,
        turn,
        angle: Math.acos(dot(n1, n2)),
        toEndMm: Math.min(s, length - s),
      })
  }
  for (let i = 0; i < n; i++) {
    const [x, z] = corner(i),
      [nx, nz] = corner(i + 1),
      [px, pz] = corner(i - 1)
    const turn = (x - px) * (nz - z) - (z - pz) * (nx - x) > 0 ? 1 : -1
    add([x, -CLEAT_HALF_WIDTH, z], [x, CLEAT_HALF_WIDTH, z], normal(i - 1), normal(i), turn)
    for (const side of [-1, 1] as const)
      add([x, side * CLEAT_HALF_WIDTH, z], [nx, side * CLEAT_HALF_WIDTH, nz], normal(i), [0, side, 0], 1)
  }
  for (const cx of [-CLEAT_HOLE.atX, CLEAT_HOLE.atX])
    for (const [z, up] of [
      [0, -1],
      [8, 1],
    ]) {
      const around = 2 * Math.PI * CLEAT_HOLE.radius
      for (let s = 0; s < around; s += STEP_MM) {
        const a = s / CLEAT_HOLE.radius
        const out1: Vector = [-Math.cos(a), -Math.sin(a), 0]
        out.push({
          at: [cx + CLEAT_HOLE.radius * Math.cos(a), CLEAT_HOLE.radius * Math.sin(a), z],
          n1: out1,
          n2: [0, 0, up],
          turn: 1,
          angle: Math.PI / 2,
          toEndMm: Infinity,
        })
      }
    }
  return out.filter((e) => e.angle >= (40 * Math.PI) / 180)
}

function report(name: string, mesh: TriangleMesh, edges: readonly EdgeSample[], all: EdgeSample[], h: number): void {
  const { positions: p, indices } = mesh
  const isGood = new Set(edges)
  const tree = new KdTree(Float32Array.from(all.flatMap((e) => [...e.at])))
  const cross = new Float64Array(3)
  let wrong = 0
  const found = { ids: new Int32Array(1), d2: new Float64Array(1) }
  const nearest = (x: number, y: number, z: number): [number, number] => {
    tree.knn(x, y, z, 1, found.ids, found.d2, Infinity)
    return [found.ids[0], Math.sqrt(found.d2[0])]
  }
  for (let i = 0; i < indices.length; i += 3) {
    const [a, b, c] = [indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3]
    const m = [0, 1, 2].map((k) => (p[a + k] + p[b + k] + p[c + k]) / 3) as unknown as Vector
    const [id, d] = nearest(...m)
    const e = all[id]
    if (d > 4 * h || !isGood.has(e)) continue
    const area = faceCross(p, a, b, c, cross) / 2
    const off = m.map((x, k) => x - e.at[k]) as unknown as Vector
    const n = e.turn * (dot(off, e.n1) - dot(off, e.n2)) > 0 ? e.n1 : e.n2
    const facing = (n[0] * cross[0] + n[1] * cross[1] + n[2] * cross[2]) / (2 * area)
    if (facing < Math.cos((5 * Math.PI) / 180)) wrong += area
  }
  const at: TriangleMesh = {
    kind: 'mesh',
    positions: Float32Array.from(edges.flatMap((e) => [...e.at])),
    indices: new Uint32Array(0),
  }
  const { distanceMm } = compareShapes({ kind: 'cloud', positions: at.positions }, mesh, quietContext())
  const radii = edges.map((e, i) => Math.abs(distanceMm[i]) / (1 / Math.cos(e.angle / 2) - 1) / h)
  let squares = 0,
    flats = 0
  for (let v = 0; v < p.length; v += 3) {
    const [, d] = nearest(p[v], p[v + 1], p[v + 2])
    if (d < 3 * h || !seen(p[v], p[v + 1], p[v + 2])) continue
    // The walls of the holes are no flats.
    if (Math.hypot(Math.abs(p[v]) - CLEAT_HOLE.atX, p[v + 1]) < CLEAT_HOLE.radius + h) continue
    squares += BRASS_CLEAT.field(p[v], p[v + 1], p[v + 2]) ** 2
    flats++
  }
  const { closed, manifold, crossings, genus, faces, sliverFaces } = checkHealth(mesh, quietContext())
  process.stdout.write(
    `  ${name}: zone ${(wrong / (2 * edges.length * STEP_MM) / h).toFixed(2)} spacings a side; radius p50 ` +
      `${quantile(radii, 0.5).toFixed(2)}, p90 ${quantile(radii, 0.9).toFixed(2)} spacings; flats RMS ` +
      `${Math.sqrt(squares / flats).toFixed(4)} mm; ${faces} faces, closed ${closed}, manifold ${manifold}, X ` +
      `${crossings}, genus ${genus}, slivers ${sliverFaces}\n`,
  )
}

const spacings = process.argv.slice(2).map(Number)
const takes = takesOf(BRASS_CLEAT, 0.3, 4000)
const points = gatherPoints(takes)
const all = cleatEdges()
const tree = new KdTree(points.positions)
const seen = (x: number, y: number, z: number): boolean => {
  const ids = new Int32Array(1),
    d2 = new Float64Array(1)
  return tree.knn(x, y, z, 1, ids, d2, 0.4 ** 2) === 1
}
for (const h of spacings.length > 0 ? spacings : [0.8, 0.5]) {
  const good = all.filter((e) => {
    if (e.toEndMm < 4 * h) return false
    // Along each side, away from the edge.
    return ([1, 2] as const).every((k) => {
      const own = k === 1 ? e.n1 : e.n2,
        other = k === 1 ? e.n2 : e.n1
      const s = dot(own, other)
      const away = other.map((x, c) => (-e.turn * (x - s * own[c])) / Math.sin(e.angle))
      return [0.5, 1.2].every((d) => seen(e.at[0] + d * away[0], e.at[1] + d * away[1], e.at[2] + d * away[2]))
    })
  })
  process.stdout.write(`cleat at ${h} mm, ${(good.length * STEP_MM).toFixed(0)} mm of edges seen from both sides\n`)
  let skin!: TriangleMesh
  const t0 = seconds(() => (skin = makeSkin(takes, { spacingMm: h }, quietContext()).mesh))
  report(`off (${t0.toFixed(1)} s)`, skin, good, all, h)
  for (const choice of ['careful', 'strong'] as const) {
    let kept!: ReturnType<typeof keepEdges>
    const took = seconds(() => (kept = keepEdges(skin, points, choice, quietContext())))
    report(`${choice} (+ ${took.toFixed(1)} s)`, kept.mesh, good, all, h)
    process.stdout.write(
      `    ${kept.edges.lengthMm.toFixed(0)} mm of edges, ${kept.edges.inwardMm.toFixed(0)} inwards, ` +
        `${kept.edges.corners} corners, ${kept.edges.meanAngle.toFixed(0)}° on the mean\n`,
    )
    if (choice !== 'careful') continue
    // Noise taken off what has its edges now; its flats are those of its points whose faces are all of planes.
    const p = Float64Array.from(kept.mesh.positions)
    const [facets, beside] = [facetsOf(p, kept.mesh.indices), faceNeighbours(kept.mesh)]
    const { of } = flatRegions(facets, filterNormals(facets, beside, 6), beside, noiseOf(kept.mesh))
    const isFlat = new Uint8Array(p.length / 3).fill(1)
    kept.mesh.indices.forEach((v, i) => {
      if (of[Math.floor(i / 3)] < 0 || !seen(p[v * 3], p[v * 3 + 1], p[v * 3 + 2])) isFlat[v] = 0
    })
    const flats = (m: TriangleMesh): string => {
      let sum = 0,
        n = 0
      for (let v = 0; v < isFlat.length; v++) {
        if (!isFlat[v]) continue
        sum += BRASS_CLEAT.field(m.positions[v * 3], m.positions[v * 3 + 1], m.positions[v * 3 + 2]) ** 2
        n++
      }
      return `RMS ${Math.sqrt(sum / n).toFixed(4)} mm on ${n} points of planes`
    }
    process.stdout.write(`    ${flats(kept.mesh)}\n`)
    for (const way of EDGE_WAYS) {
      let calm!: ReturnType<typeof denoise>
      const spent = seconds(() => (calm = denoise(kept.mesh, { capMm: 0.1, edges: way }, quietContext())))
      report(`  noise off, ${way} (${spent.toFixed(1)} s)`, calm.mesh, good, all, h)
      process.stdout.write(
        `    told ${calm.sigmaMm.toFixed(4)} → ${calm.leftMm.toFixed(4)} mm of noise, moved ${calm.meanMm.toFixed(4)} in ` +
          `the mean, ${calm.mostMm.toFixed(3)} at most; ${calm.planes} planes, ${(100 * calm.laidShare).toFixed(0)} %; ` +
          `${flats(calm.mesh)}\n`,
      )
    }
  }
}
for (const name of ['gull', 'lamp', 'jug', 'bobbin', 'tile']) {
  const piece = DEMO_PIECES[name]
  const h = 0.8
  const own = takesOf(piece, 0.35, 5000)
  const skin = makeSkin(own, { spacingMm: h }, quietContext()).mesh
  for (const choice of ['careful', 'strong'] as const) {
    let kept!: ReturnType<typeof keepEdges>
    const took = seconds(() => (kept = keepEdges(skin, gatherPoints(own), choice, quietContext())))
    const off = (m: TriangleMesh): number[] =>
      Array.from({ length: m.positions.length / 3 }, (_, v) =>
        Math.abs(piece.field(m.positions[v * 3], m.positions[v * 3 + 1], m.positions[v * 3 + 2])),
      )
    const [before, after] = [off(skin), off(kept.mesh)]
    const over = (d: number[]): number => d.filter((x) => x > 0.2 * h).length
    process.stdout.write(
      `${name}, ${choice}: ${kept.edges.lengthMm.toFixed(0)} mm of edges in ${took.toFixed(1)} s; points over 0.2 ` +
        `spacing off the truth ${over(before)} → ${over(after)} of ${after.length}; mean ` +
        `${(before.reduce((a, b) => a + b) / before.length).toFixed(4)} → ${(after.reduce((a, b) => a + b) / after.length).toFixed(4)}\n`,
    )
  }
}
