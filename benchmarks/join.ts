/**
 * Sixteen single views of a scanned mesh, eight upright and eight lying, each in coordinates of its own, joined by
 * shape alone: share of pairs and views right, error of the whole, time; beside a general-purpose C++ library on the
 * same clouds in the same run. Then the same with the table's turns known within each pose, and with an axis that
 * wobbles.
 *   npx tsx benchmarks/join.ts MESH.off … [--own]
 * Meshes: scans in Debian's libcgal-demo (bunny00, armadillo, ChineseDragon-10kv, lion-head); `--own` leaves the
 * library out.
 */
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { basename, join } from 'node:path'
import { identityMotion, quietContext, type Motion, type PointCloud, type RunContext } from '@holosoma/core'
import { assemble } from '../core/src/align/coarse/assemble'
import { coarseVoxelMm, featuresOfTakes } from '../core/src/align/coarse/features'
import { matchCoarse } from '../core/src/align/coarse/match'
import { matchPairs } from '../core/src/align/coarse/match-pairs'
import { freeMoves, matchJointly, type Prior } from '../core/src/align/refine/joint'
import { prepareTakes } from '../core/src/align/takes/prepare-takes'
import { rigidFromPairs } from '../core/src/align/marks/pairs'
import { compose, invertRigid, motionRows, rotationAngle, transformPoint } from '../core/src/linear/rigid'
import { standardSize, VIEW_DEFAULTS, viewsOf, type View } from '../core/src/testing/views'
import { readOff, reference, save, twoThreads } from './lib'

const files = process.argv.slice(2).filter((a) => !a.startsWith('--'))
const own = process.argv.includes('--own')
const pool = await twoThreads()
const context: RunContext = { ...quietContext(), parallel: pool }
const SIGMA_MM = VIEW_DEFAULTS.noiseShare * 100

for (const file of files) {
  const views = viewsOf(standardSize(readOff(file)), 7)
  const clock = (): number => performance.now() / 1000
  const start = clock()
  const takes = await prepareTakes(
    views.map((v) => v.cloud),
    context,
  )
  const described = await featuresOfTakes(
    takes,
    views.map((v) => v.cloud),
    coarseVoxelMm(takes),
    context,
  )
  const ready = clock()
  const wanted: [number, number][] = []
  for (let a = 0; a < views.length; a++) for (let b = a + 1; b < views.length; b++) wanted.push([a, b])
  const pairs = (await matchPairs(described, wanted, context)).map((candidates, i) => ({
    a: wanted[i][0],
    b: wanted[i][1],
    candidates,
  }))
  let neighbours = 0,
    right = 0
  for (const { a, b, candidates } of pairs) {
    if (!neighbouring(a, b)) continue
    neighbours++
    if (
      candidates[0] &&
      isRight(
        candidates[0].motion,
        compose(invertRigid(views[b].truth), views[a].truth),
        transformPoint(invertRigid(views[a].truth), 0, 0, 0),
      )
    )
      right++
  }
  const whole = assemble(described, pairs)
  const placed = clock()
  const joint = await matchJointly(
    takes.map((cloud, i) => ({ cloud, start: whole.motions[i], moves: freeMoves(6 * i) })),
    { reachMm: 2.6, unknowns: 6 * views.length },
    context,
  )
  const end = clock()
  process.stdout.write(
    `${basename(file)}: neighbouring pairs right ${right} of ${neighbours}; ` +
      `${score(joint.motions, views)}; prepared and described ${(ready - start).toFixed(1)} s, ` +
      `${pairs.length} pairs and put together ${(placed - ready).toFixed(1)} s, all together ` +
      `${(end - placed).toFixed(1)} s (${joint.rounds} rounds); whole ${(end - start).toFixed(1)} ` +
      `s\n`,
  )
  for (const wobbleDeg of [0, 0.05])
    process.stdout.write(
      `  table known${wobbleDeg > 0 ? `, axis wobbles ${wobbleDeg}°` : ''}: ${await withTable(file, wobbleDeg)}\n`,
    )
  if (own) continue
  const folder = mkdtempSync(join(tmpdir(), 'holosoma-join-'))
  views.forEach((v, i) => save(v.cloud, `${i}.ply`, folder))
  writeFileSync(
    join(folder, 'truth.json'),
    JSON.stringify(views.map((v) => ({ truth: motionRows(v.truth), origin: [...v.cloud.frameOrigins!] }))),
  )
  const r = reference('join.py', [folder])
  if (r) {
    const motions = JSON.parse(readFileSync(join(folder, 'found.json'), 'utf8')) as number[][][]
    process.stdout.write(
      `  library: neighbouring pairs right ${r.right} of ${r.pairs}, ${r.pairSeconds.toFixed(1)} s; pose graph from true neighbours within 3°: ${score(
        motions.map((m) => Float64Array.from(m.flat())),
        views,
      )}, ${r.graphSeconds.toFixed(1)} s\n`,
    )
  }
}
await pool.close()

/**
 * Two takes of eight frames each, whose turns the table knows; with a wobble each frame may still turn a little, under
 * a prior.
 */
async function withTable(file: string, wobbleDeg: number): Promise<string> {
  const views = viewsOf(standardSize(readOff(file)), 11, { apart: false, wobbleDeg })
  const start = performance.now()
  const frames = await prepareTakes(
    views.map((v) => v.cloud),
    context,
  )
  const poses = [0, 1].map((p) => views.slice(p * 8, p * 8 + 8))
  // Both takes as wholes: a few points of every frame are enough to place them.
  const wholes = poses.map((list): PointCloud => {
    const kept = list.map((v) => everySixth(v.cloud.positions))
    const positions = new Float32Array(kept.reduce((n, p) => n + p.length, 0)),
      frame = new Uint16Array(positions.length / 3)
    let at = 0
    kept.forEach((p, f) => {
      positions.set(p, at)
      frame.fill(f, at / 3, (at += p.length) / 3)
    })
    return {
      kind: 'cloud',
      positions,
      frame,
      frameOrigins: Float64Array.from(list.flatMap((v) => [...v.cloud.frameOrigins!])),
    }
  })
  const ready = await prepareTakes(wholes, context)
  const described = await featuresOfTakes(ready, wholes, coarseVoxelMm(ready), context)
  const [best] = matchCoarse(described[1], described[0])
  const place = [identityMotion(), best.motion]
  const priors: Prior[] = []
  const bodies = frames.map((cloud, i) => {
    const pose = Math.floor(i / 8)
    const moves = freeMoves(6 * pose)
    if (wobbleDeg > 0)
      for (const move of freeMoves(12 + 3 * i).slice(0, 3)) {
        moves.push(move)
        priors.push({ unknown: move.unknown, sigma: (wobbleDeg * Math.PI) / 180 })
      }
    return { cloud, start: place[pose], moves }
  })
  const placedAt = performance.now()
  const joint = await matchJointly(
    bodies,
    {
      reachMm: 2.6,
      unknowns: wobbleDeg > 0 ? 12 + 48 : 12,
      priors,
      ...(wobbleDeg === 0 && { apart: (a, b) => a < 8 === b < 8 }),
    },
    context,
  )
  return (
    `${score(joint.motions, views)}; ${joint.rounds} rounds; placed after ` +
    `${((placedAt - start) / 1000).toFixed(1)} s, whole ` +
    `${((performance.now() - start) / 1000).toFixed(1)} s`
  )
}

function everySixth(p: Float32Array): Float32Array {
  const out = new Float32Array(3 * Math.ceil(p.length / 18))
  for (let i = 0, k = 0; i < p.length; i += 18, k += 3) out.set(p.subarray(i, i + 3), k)
  return out
}

function neighbouring(a: number, b: number): boolean {
  return Math.floor(a / 8) === Math.floor(b / 8) && ((b - a) % 8 === 1 || (b - a) % 8 === 7)
}

/** As asked: 3° and 2 % of the size. */
function isRight(found: Motion, truth: Motion, at: readonly [number, number, number]): boolean {
  const p = transformPoint(found, ...at),
    q = transformPoint(truth, ...at)
  return (
    (rotationAngle(compose(invertRigid(truth), found)) * 180) / Math.PI <= 3 &&
    Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]) <= 2
  )
}

/** Against the truth, after the best common motion of all views. */
function score(motions: readonly Motion[], views: readonly View[]): string {
  const from: number[] = [],
    to: number[] = []
  views.forEach((v, i) => {
    const p = v.cloud.positions
    for (let k = 0; k < p.length; k += 1500) {
      from.push(...transformPoint(motions[i], p[k], p[k + 1], p[k + 2]))
      to.push(...transformPoint(v.truth, p[k], p[k + 1], p[k + 2]))
    }
  })
  const { motion: common } = rigidFromPairs(Float64Array.from(from), Float64Array.from(to))
  let worst = 0,
    mean = 0,
    right = 0
  views.forEach((v, i) => {
    const error = compose(invertRigid(v.truth), compose(common, motions[i]))
    const deg = (rotationAngle(error) * 180) / Math.PI
    worst = Math.max(worst, deg)
    const p = v.cloud.positions
    let sum = 0,
      n = 0
    for (let k = 0; k < p.length; k += 150) {
      const q = transformPoint(error, p[k], p[k + 1], p[k + 2])
      sum += Math.hypot(q[0] - p[k], q[1] - p[k + 1], q[2] - p[k + 2])
      n++
    }
    mean += sum / n / views.length
    if (deg <= 3 && sum / n <= 2) right++
  })
  return (
    `${right} of ${views.length} views right, worst ${worst.toFixed(4)}°, mean displacement ` +
    `${(mean / SIGMA_MM).toFixed(3)} σ`
  )
}
