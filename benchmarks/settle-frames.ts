/**
 * Frames of three hasty takes (a turntable that slips, shakes, and whose axis is not quite where it was measured): how
 * far the points lie from the piece's true surface when takes are joined as they are, when each take's frames were
 * matched alone first, and when all frames are matched together.
 *   npx tsx benchmarks/settle-frames.ts [piece … default lamp cleat]  [--turn SECONDS, default 6]
 */
import { quietContext, type Motion, type PointCloud, type RunContext } from '@holosoma/core'
import { matchFrames } from '../core/src/align/frames/frame-match'
import { joinAndJudge } from '../core/src/align/takes/join-takes'
import { settleFrames } from '../core/src/align/frames/settle-frames'
import { captureTake, TABLETOP_DEVICE } from '../core/src/bench/capture'
import { DEMO_PIECES, type DemoPiece } from '../core/src/bench/pieces/index'
import { NOISE_ONLY } from '../core/src/bench/settings'
import { solveCholesky } from '../core/src/linear/cholesky'
import { compose, invertRigid, transformPoints, twistMotion } from '../core/src/linear/rigid'
import { NEW_TAKE } from '../core/src/plan/takes'
import { twoThreads } from './lib'

const turnAt = process.argv.indexOf('--turn')
const secondsPerTurn = turnAt > 0 ? Number(process.argv[turnAt + 1]) : 6
const named = process.argv.slice(2).filter((a, i, all) => !a.startsWith('--') && all[i - 1] !== '--turn')
const pool = await twoThreads()
const context: RunContext = { ...quietContext(), parallel: pool }

/**
 * Distance of all takes from the true surface after the best common placing, RMS, mm (Gauss–Newton on the piece's own
 * field).
 */
function offMm(piece: DemoPiece, clouds: readonly PointCloud[], motions: readonly Motion[], start: Motion): number {
  let common = start,
    off = 0
  const f = piece.field,
    h = 0.05
  for (let round = 0; round < 12; round++) {
    const a = new Float64Array(36),
      g = new Float64Array(6),
      x = new Float64Array(6)
    let sum = 0,
      n = 0
    clouds.forEach((cloud, i) => {
      const p = transformPoints(compose(common, motions[i]), cloud.positions)
      for (let k = 0; k < p.length; k += 21) {
        const [px, py, pz] = [p[k], p[k + 1], p[k + 2]]
        const slope = [
          f(px + h, py, pz) - f(px - h, py, pz),
          f(px, py + h, pz) - f(px, py - h, pz),
          f(px, py, pz + h) - f(px, py, pz - h),
        ].map((d) => d / 2 / h)
        const length = Math.hypot(...slope),
          [nx, ny, nz] = slope.map((s) => s / length) as [number, number, number]
        const r = f(px, py, pz) / length
        if (!(length > 0.2) || Math.abs(r) > 2) continue
        sum += r * r
        n++
        const row = [py * nz - pz * ny, pz * nx - px * nz, px * ny - py * nx, nx, ny, nz]
        for (let c = 0; c < 6; c++) {
          g[c] -= row[c] * r
          for (let e = 0; e < 6; e++) a[c * 6 + e] += row[c] * row[e]
        }
      }
    })
    off = Math.sqrt(sum / n)
    for (let c = 0; c < 6; c++) a[c * 7] *= 1 + 1e-4
    if (solveCholesky(a, g, x, 6)) common = compose(twistMotion(x), common)
  }
  return off
}

for (const name of named.length > 0 ? named : ['lamp', 'cleat']) {
  const piece = DEMO_PIECES[name]
  const takes = [
    { ...NEW_TAKE, elevationDeg: 48 },
    { ...NEW_TAKE, name: 'side', pose: 'custom' as const, aboutXDeg: 104, headingDeg: 35, elevationDeg: 30 },
    { ...NEW_TAKE, name: 'low', elevationDeg: 15 },
  ]
  const taken = takes.map((t, i) =>
    captureTake(piece, { ...t, secondsPerTurn }, TABLETOP_DEVICE, 5 + i, quietContext(), {
      faults: { ...NOISE_ONLY, jitter: true, axis: true, slip: true },
      spacingMm: 0.45,
      reference: true,
    }),
  )
  const truth = taken.map((t) => t.truth)
  const start = invertRigid(truth[0])
  const starts = truth.map((t) => compose(truth[0], invertRigid(t)))
  const tell = async (
    what: string,
    clouds: readonly PointCloud[],
    at: readonly Motion[],
    seconds: number,
  ): Promise<readonly Motion[]> => {
    const report = await joinAndJudge({ clouds, starts: at, groups: [0, 1, 2], fixedAt: 0, toleranceMm: 0.3 }, context)
    const motions = report.motions.map((m) => m!)
    process.stdout.write(
      `${name}, ${secondsPerTurn} s a turn, ${what}: ` +
        `${offMm(piece, clouds, motions, start).toFixed(4)} mm from the true surface, takes meet ` +
        `within ${Math.max(...report.pairs.map((p) => p.shared.p95Mm)).toFixed(3)} mm (95 of ` +
        `100)${seconds > 0 ? `; ${seconds.toFixed(1)} s` : ''}\n`,
    )
    return motions
  }
  const clouds = taken.map((t) => t.cloud)
  const rigid = await tell('as taken', clouds, starts, 0)
  const clock = (): number => performance.now() / 1000
  let from = clock()
  const alone = (await Promise.all(clouds.map((c) => matchFrames(c, { placed: 'table' }, quietContext())))).map(
    (m) => m.cloud,
  )
  await tell('each take’s frames alone', alone, rigid, clock() - from)
  from = clock()
  const together = await settleFrames(
    clouds.map((cloud, i) => ({ cloud, motion: rigid[i], placed: 'table' as const })),
    context,
  )
  await tell(
    'all frames together',
    together.map((t) => t.cloud),
    together.map((t) => compose(invertRigid(together[0].motion), t.motion)),
    clock() - from,
  )
}
await pool.close()
