/**
 * The skin of the demo lamp: deviation from the truth where it was seen, health at several spacings, and time beside a
 * general-purpose C++ library's Poisson at the same face count and the same input normals.
 *   npx tsx benchmarks/skin.ts
 */
import { mkdtempSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import {
  bytesSource,
  captureTake,
  checkHealth,
  compareShapes,
  LAMP_TAKES,
  OIL_LAMP,
  polygonise,
  quietContext,
  readShape,
  ROAD_SPACING_MM,
  TABLETOP_DEVICE,
  transformPoints,
  type PointCloud,
  type Shape,
  type TriangleMesh,
} from '@holosoma/core'
import { estimateFeatures } from '../core/src/cloud/normals'
import { makeSkin } from '../core/src/fuse/skin'
import { compose, invertRigid, rotateVectors } from '../core/src/linear/rigid'
import { pickPoints } from '../core/src/shapes'
import { KdTree } from '../core/src/spatial/kd-tree'
import { quantile, reference, save, seconds } from './lib'

const captured = LAMP_TAKES.map((plan, i) =>
  captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 1000 + i, quietContext(), { spacingMm: ROAD_SPACING_MM }),
)
const first = captured[0].truth
const takes = captured.map(({ cloud, truth }) => {
  const keep: number[] = []
  for (let i = 0; i < cloud.positions.length / 3; i++) if (cloud.positions[i * 3 + 2] > 0.6) keep.push(i)
  const bare = pickPoints(cloud, keep)
  return {
    cloud: { ...bare, normals: estimateFeatures(bare, quietContext()).normals },
    motion: compose(first, invertRigid(truth)),
  }
})
const truth = ((): TriangleMesh => {
  const m = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 0.4, quietContext())
  return { ...m, positions: transformPoints(first, m.positions) }
})()
const all = joined()
const sigma = TABLETOP_DEVICE.noiseMm

for (const [spacing, dense] of [0.35, 0.5, 0.8, 1.2].flatMap((s) => [[s, false] as const, [s, true] as const])) {
  let mesh!: TriangleMesh
  const took = seconds(() => {
    mesh = makeSkin(takes, { spacingMm: spacing, dense }, quietContext()).mesh
  })
  const h = checkHealth(mesh, quietContext())
  process.stdout.write(
    `spacing ${spacing}${dense ? ', dense' : ''}: ${h.faces} faces in ${took.toFixed(2)} s; closed ${h.closed}, manifold ` +
      `${h.manifold}, crossings ${h.crossings}, parts ${h.components}, genus ${h.genus}, faces ` +
      `without area ${h.zeroAreaFaces}, edges over 60° ${h.bentEdges}; ${angles(mesh)}\n`,
  )
  for (const [name, from, to] of [
    ['skin to truth', mesh, truth],
    ['truth to skin', truth, mesh],
  ] as const)
    report(name, from, to, spacing)
}

const folder = mkdtempSync(join(tmpdir(), 'holosoma-bench-'))
if (process.argv[2] === 'own') process.exit()
const given = save(all, 'points.ply', folder)
for (const depth of ['8', '9']) {
  const other = reference('poisson.py', [given, depth, join(folder, 'poisson.ply')])
  if (!other) break
  // The spacing whose face count meets the library's.
  let spacing = 1
  let mesh!: TriangleMesh
  for (let i = 0; i < 5; i++) {
    mesh = makeSkin(takes, { spacingMm: spacing }, quietContext()).mesh
    const ratio = mesh.indices.length / 3 / other.faces
    if (Math.abs(ratio - 1) < 0.03) break
    spacing *= Math.sqrt(ratio)
  }
  const own = Math.min(
    ...[1, 2, 3].map(() => seconds(() => void makeSkin(takes, { spacingMm: spacing }, quietContext()))),
  )
  process.stdout.write(
    `Poisson depth ${depth}: ${other.faces} faces in ${other.seconds.toFixed(2)} s; own skin ` +
      `${mesh.indices.length / 3} faces (${spacing.toFixed(3)} mm) in ${own.toFixed(2)} s\n`,
  )
  report(
    '  library to truth',
    await readShape(bytesSource(readFileSync(join(folder, 'poisson.ply'))), 'poisson.ply'),
    truth,
    0.5,
  )
  report('  own to truth', mesh, truth, 0.5)
}

/** Smallest angle of each face, degrees. */
function angles({ positions: p, indices }: TriangleMesh): string {
  const found = Array.from({ length: indices.length / 3 }, (_, f) => {
    const [a, b, c] = [0, 1, 2]
      .map((k) => {
        const u = indices[f * 3 + k] * 3,
          v = indices[f * 3 + ((k + 1) % 3)] * 3
        return Math.hypot(p[u] - p[v], p[u + 1] - p[v + 1], p[u + 2] - p[v + 2])
      })
      .sort((x, y) => x - y)
    return (Math.acos(Math.min(1, (b * b + c * c - a * a) / (2 * b * c))) * 180) / Math.PI
  })
  const mean = found.reduce((s, v) => s + v, 0) / found.length
  return `smallest angle ${mean.toFixed(1)}° on the mean, ${quantile(found, 0).toFixed(1)}° at least`
}

function joined(): PointCloud {
  const n = takes.reduce((s, t) => s + t.cloud.positions.length, 0)
  const positions = new Float32Array(n),
    normals = new Float32Array(n)
  takes.reduce((at, t) => {
    positions.set(transformPoints(t.motion, t.cloud.positions), at)
    normals.set(rotateVectors(t.motion, t.cloud.normals), at)
    return at + t.cloud.positions.length
  }, 0)
  return { kind: 'cloud', positions, normals }
}

/**
 * Only where it was seen: the 8th nearest sample within two spacings. The lamp has no sharp edges to keep away from.
 */
function report(name: string, from: Shape, to: Shape, spacing: number): void {
  const { distanceMm } = compareShapes(from, to, quietContext())
  const tree = new KdTree(all.positions)
  const ids = new Int32Array(8),
    d2 = new Float64Array(8)
  const seen: number[] = []
  for (let i = 0; i < distanceMm.length; i++) {
    const p = from.positions
    if (tree.knn(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], 8, ids, d2, 4 * spacing * spacing) === 8)
      seen.push(Math.abs(distanceMm[i]))
  }
  const mean = seen.reduce((a, b) => a + b, 0) / seen.length
  const limit = [0.35 * sigma + 0.05 * spacing, sigma + 0.1 * spacing, 2 * sigma + 0.15 * spacing]
  process.stdout.write(
    `  ${name}: ${seen.length} of ${distanceMm.length} seen; mean ${mean.toFixed(4)} (≤ ` +
      `${limit[0].toFixed(4)}), p95 ${quantile(seen, 0.95).toFixed(4)} (≤ ${limit[1].toFixed(4)}), ` +
      `p99 ${quantile(seen, 0.99).toFixed(4)} (≤ ${limit[2].toFixed(4)}), worst ` +
      `${Math.max(...seen.slice(0, 1), quantile(seen, 1)).toFixed(3)} mm\n`,
  )
}
