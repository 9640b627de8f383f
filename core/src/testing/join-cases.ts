import { captureTake, TABLETOP_DEVICE } from '../bench/capture'
import { DEMO_PIECES, type DemoPiece } from '../bench/pieces'
import { coarseMesh } from '../bench/scene'
import type { JoinReport } from '../align/takes/join-report'
import { joinAndJudge } from '../align/takes/join-takes'
import { joinFindings } from '../align/judge/verdict'
import { quietContext } from '../context'
import { isGeometryError } from '../errors'
import { worst, type Verdict } from '../findings'
import { meanPoint } from '../linear/mean-point'
import { seededRandom, type Random } from '../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationMotion,
  shiftMotion,
  transformPoint,
  twistMotion,
  type Motion,
} from '../linear/rigid'
import { simplifyLoosely } from '../simplify/loosely'
import { JoinForecaster, noiseModel, pairLookAlikes } from '../plan/assess'
import { CoverageScene } from '../plan/coverage'
import type { DeviceProfile } from '../plan/device-profile'
import { cutFacets } from '../plan/facets'
import { NEW_TAKE, type PlannedTake } from '../plan/takes'
import { pickPoints, type PointCloud } from '../shapes'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { evidenceOf, type JoinEvidence } from '../align/judge/evidence'

/* Seeded joins, good and bad, with the truth beside them: for tests, and for learning how often a verdict is right. */

export type JoinCaseKind = 'matched' | 'byShape' | 'slid' | 'turned' | 'wrongPicks'
export const JOIN_CASE_KINDS: readonly JoinCaseKind[] = ['matched', 'byShape', 'slid', 'turned', 'wrongPicks']

export interface JoinCase {
  readonly piece: string
  readonly kind: JoinCaseKind
  readonly seed: number
  readonly takes: string
  /** How far off the worst take's farthest point lies, mm. */
  readonly errorMm: number
  readonly toleranceMm: number
  /** Whether the true surface, without noise, says how these takes belong together. */
  readonly decidable: boolean
  readonly verdict: Verdict
  /** Findings that are not sound. */
  readonly reasons: readonly string[]
  readonly evidence: JoinEvidence
  readonly report: JoinReport
}

const SPACING_MM = 0.8
/** Turned points this near to the true surface lie on it: a few times the noise. */
const TOUCHES_MM = 0.3
/** So much of a take on the surface again is a look-alike that only luck tells apart. */
const LOOKS_ALIKE = 0.97
const upright: PlannedTake = { ...NEW_TAKE, elevationDeg: 40 }
/** Poses takes are drawn from. */
const POSES: readonly PlannedTake[] = [
  upright,
  { ...upright, name: 'low', elevationDeg: 15 },
  { ...upright, name: 'high', elevationDeg: 60 },
  { ...NEW_TAKE, name: 'side', pose: 'front', elevationDeg: 30 },
  { ...NEW_TAKE, name: 'upside down', pose: 'inverted', elevationDeg: 35 },
  { ...NEW_TAKE, name: 'leaning', pose: 'lean', support: 'putty', riserMm: 4, elevationDeg: 35 },
]

interface Bench {
  readonly piece: DemoPiece
  readonly device: DeviceProfile
  readonly scene: CoverageScene
  readonly problem: JoinForecaster
  readonly surface: TriangleBvh
}
const benches = new Map<string, Promise<Bench>>()
const captured = new Map<string, { cloud: PointCloud; truth: Motion }>()

async function benchOf(name: string): Promise<Bench> {
  const piece = DEMO_PIECES[name]
  const device = {
    ...TABLETOP_DEVICE,
    nearMm: TABLETOP_DEVICE.nearMm - 60,
    farMm: TABLETOP_DEVICE.farMm + 60,
    windowMm: Math.max(TABLETOP_DEVICE.windowMm, 1.25 * piece.lengthMm),
  }
  const mesh = await simplifyLoosely(coarseMesh(piece), 14_000)
  const facets = cutFacets(mesh, 9000)
  return {
    piece,
    device,
    scene: new CoverageScene(mesh, facets, 200),
    problem: new JoinForecaster(facets),
    surface: new TriangleBvh(coarseMesh(piece)),
  }
}

const benchFor = (name: string): Promise<Bench> => {
  const made = benches.get(name) ?? benchOf(name)
  benches.set(name, made)
  return made
}

/**
 * One seeded join: two or three takes of a piece in random poses, each over part of its turn, put together well or
 * badly.
 */
export async function judgeJoin(name: string, kind: JoinCaseKind, seed: number): Promise<JoinCase> {
  const bench = await benchFor(name)
  const random = seededRandom(seed * 7919 + JOIN_CASE_KINDS.indexOf(kind) * 101 + name.length)
  const plans = drawTakes(random)
  const takes = plans.map((p, i) => captureCached(bench, p, seed * 10 + i))
  const truths = takes.map((t) => compose(takes[0].truth, invertRigid(t.truth)))
  const middles = takes.map((t) => meanPoint(t.cloud.positions))
  const sizeMm = Math.max(...bench.piece.sizeMm)
  const about = (i: number, m: Motion): Motion => {
    const c = transformPoint(truths[i], ...middles[i])
    return compose(compose(shiftMotion(...c), compose(m, shiftMotion(-c[0], -c[1], -c[2]))), truths[i])
  }
  const anyAxis = (): number[] => [random.gaussian(), random.gaussian(), random.gaussian()]
  const last = takes.length - 1
  const request = { clouds: takes.map((t) => t.cloud), groups: takes.map((_, i) => i), fixedAt: 0, toleranceMm: null }
  const run = (starts: (Motion | null)[], asPlaced = false): Promise<JoinReport> =>
    joinAndJudge({ ...request, starts, asPlaced }, quietContext(seed))
  const rough = (): Motion[] =>
    truths.map((t, i) =>
      i === 0
        ? t
        : about(
            i,
            rotationMotion(anyAxis(), 0.06 * random.next(), [
              1.5 * random.gaussian(),
              1.5 * random.gaussian(),
              1.5 * random.gaussian(),
            ]),
          ),
    )
  let report: JoinReport
  if (kind === 'matched') report = await run(rough())
  else if (kind === 'byShape') report = await run(takes.map((_, i) => (i === 0 ? identityMotion() : null)))
  else if (kind === 'slid') {
    // Slid along what holds it least, by one and a half to six tolerances.
    const sound = await run(rough())
    const weakest = sound.slides.modes.find((m) => m.movers.includes(last) || m.stayers.includes(last))
    const byMm = sound.toleranceMm * (1.6 + 4.5 * random.next())
    const twist = weakest ? weakest.motion.twist : Float64Array.of(0, 0, 0, 1, 0, 0)
    const far = farOf(twist, sizeMm)
    const slid = about(last, twistMotion(twist.map((v) => (v * byMm) / far)))
    report = await run(
      truths.map((t, i) => (i === last ? slid : t)),
      true,
    )
  } else if (kind === 'turned') {
    // Turned by a half, a third or a quarter about one of the piece's axes, and matched there: as a look-alike would
    // be.
    const axis = [
      [1, 0, 0],
      [0, 1, 0],
      [0, 0, 1],
    ][Math.floor(random.next() * 3)]
    const inPiece = compose(
      takes[0].truth,
      compose(rotationMotion(axis, (2 * Math.PI) / (2 + Math.floor(random.next() * 3))), invertRigid(takes[0].truth)),
    )
    report = await attempt(
      run,
      truths.map((t, i) => (i === last ? compose(inPiece, t) : t)),
    )
  } else
    report = await attempt(
      run,
      truths.map((t, i) =>
        i === last
          ? about(
              i,
              rotationMotion(
                anyAxis(),
                0.35 + 1.2 * random.next(),
                [0.06, 0.06, 0.06].map((s) => s * sizeMm * random.gaussian()) as [number, number, number],
              ),
            )
          : t,
      ),
    )
  const findings = joinFindings(
    report,
    plans.map((p) => p.name),
  )
  return {
    piece: name,
    kind,
    seed,
    takes: plans.map((p) => `${p.name} ${Math.round(p.sweepDeg)}°`).join(', '),
    toleranceMm: report.toleranceMm,
    decidable: decidable(bench, plans, takes, report),
    errorMm: errorOf(
      report,
      truths,
      takes.map((t) => t.cloud),
    ),
    verdict: worst(findings),
    reasons: findings.filter((f) => f.verdict !== 'sound').map((f) => `${f.id} ${f.verdict}`),
    evidence: evidenceOf(report),
    report,
  }
}

/** Where the match does not find anything common it is judged where it stands: a person would see it stand there. */
async function attempt(
  run: (starts: Motion[], asPlaced?: boolean) => Promise<JoinReport>,
  starts: Motion[],
): Promise<JoinReport> {
  try {
    return await run(starts)
  } catch (error) {
    if (!isGeometryError(error) || error.code !== 'NO_OVERLAP') throw error
    return run(starts, true)
  }
}

function drawTakes(random: Random): PlannedTake[] {
  const pool = [...POSES]
  const count = random.next() < 0.6 ? 2 : 3
  return Array.from({ length: count }, () => {
    const p = pool.splice(Math.floor(random.next() * pool.length), 1)[0]
    const part = random.next() < 0.55 ? 1 : 0.4 + 0.5 * random.next()
    return {
      ...p,
      sweepDeg: 360 * part,
      steps: Math.max(3, Math.round(p.steps * part)),
      restartDeg: Math.round(360 * random.next()),
    }
  })
}

function captureCached(bench: Bench, plan: PlannedTake, seed: number): { cloud: PointCloud; truth: Motion } {
  const key = `${bench.piece.name} ${seed} ${JSON.stringify(plan)}`
  const old = captured.get(key)
  if (old) return old
  const { cloud, truth, trueKinds } = captureTake(bench.piece, plan, bench.device, seed, quietContext(seed), {
    spacingMm: SPACING_MM,
    pitchMm: 1.2,
    coatMm: 0.001,
  })
  const made = {
    cloud: pickPoints(
      cloud,
      [...trueKinds.keys()].filter((i) => trueKinds[i] === 0),
    ),
    truth,
  }
  if (captured.size > 12) captured.clear()
  captured.set(key, made)
  return made
}

/**
 * Whether the true surface, without noise, says how the takes belong together: nothing is free by the plan's judgement
 * on the true mesh, and no other pose lays what a take saw on the true surface again. Other poses come from the plan's
 * search on the true mesh and from those the join itself named, each checked against the true surface.
 */
function decidable(
  bench: Bench,
  plans: readonly PlannedTake[],
  takes: readonly { cloud: PointCloud; truth: Motion }[],
  report: JoinReport,
): boolean {
  const { scene, problem, device, surface } = bench
  const covers = plans.map((p) => scene.cover(p, device, SPACING_MM))
  const total = scene.facets.totalAreaMm2
  const perTake = covers.map((c) => c.views.reduce((s, v, i) => s + (v > 0 ? scene.facets.areas[i] : 0), 0) / total)
  const join = problem.assess(covers, noiseModel(device, device.standOffMm), perTake)
  if (join.slides.length > 0) return false
  const others: { motion: Motion; movers: readonly number[] }[] = report.alternatives.map((a) => ({
    motion: compose(invertRigid(takes[0].truth), compose(a.motion, takes[0].truth)),
    movers: a.movers,
  }))
  for (const p of join.pairs) {
    if (p.overlap < 0.05) continue
    const alike = pairLookAlikes(scene.facets, covers[p.a], covers[p.b], 2 * device.noiseMm + 0.25 * SPACING_MM)
    others.push(...alike.found.map((f) => ({ motion: f.motion, movers: [p.a] })))
  }
  // What a take's points would miss the true surface by, turned so.
  return !others.some(({ motion, movers }) =>
    movers.every((i) => {
      const { cloud, truth } = takes[i]
      const there = compose(motion, invertRigid(truth))
      let on = 0,
        n = 0
      for (let k = 0; k < cloud.positions.length; k += 3 * 37) {
        const [x, y, z] = transformPoint(there, cloud.positions[k], cloud.positions[k + 1], cloud.positions[k + 2])
        if (surface.closest(x, y, z, TOUCHES_MM ** 2)) on++
        n++
      }
      return on > LOOKS_ALIKE * n
    }),
  )
}

function errorOf(r: JoinReport, truths: readonly Motion[], clouds: readonly PointCloud[]): number {
  let worstMm = 0
  r.motions.forEach((m, i) => {
    if (!m) return
    const p = clouds[i].positions
    for (let k = 0; k < p.length; k += 300) {
      const a = transformPoint(m, p[k], p[k + 1], p[k + 2]),
        b = transformPoint(truths[i], p[k], p[k + 1], p[k + 2])
      worstMm = Math.max(worstMm, Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]))
    }
  })
  return worstMm
}

const farOf = (t: ArrayLike<number>, sizeMm: number): number =>
  Math.max(1e-12, Math.hypot(t[0], t[1], t[2]) * (sizeMm / 2) + Math.hypot(t[3], t[4], t[5]))
