import { stage, type RunContext } from '../../context'
import { GeometryError } from '../../errors'
import { compose, identityMotion, invertRigid, transformPoints, type Motion } from '../../linear/rigid'
import type { PointCloud } from '../../shapes'
import { assemble, type Link, type PairCandidates } from '../coarse/assemble'
import { coarseVoxelMm, featuresOfTakes, withGuessedLooks, type TakeFeatures } from '../coarse/features'
import { CoarseMatches } from '../coarse/matches'
import type { Toned } from '../colour/meet'
import { settleByColours } from '../colour/settle-links'
import { slideToColours, type ColouredPair } from '../colour/slide-to-colours'
import { matchFine } from '../refine/icp'
import type { JoinReport, JoinRequest } from './join-report'
import type { Mark } from '../marks/mark'
import { freeMoves, matchJointly, type JointMatch } from '../refine/joint'
import { commonOf, judge } from '../judge/judge'
import { slideToMarks } from '../judge/slide-to-marks'
import { OrientedCloud } from '../oriented-cloud'
import { prepareTakes } from './prepare-takes'
import { settleByDots } from '../marks/settle-by-dots'

/** What holds takes besides their shapes. */
interface Held {
  readonly marks: readonly Mark[]
  readonly coloured: readonly ColouredPair[]
}

/** Of the piece's size: how far off a placing by hand may be. */
const ROUGH_SHARE = 0.1
const MAX_SECOND_THOUGHTS = 3

/** Takes into one frame, and everything that speaks for and against it. */
export async function joinAndJudge(request: JoinRequest, context: RunContext): Promise<JoinReport> {
  const { clouds, fixedAt } = request
  const n = clouds.length
  const takes = await prepareTakes(clouds, stage(context, 0, 0.25))
  const voxelMm = coarseVoxelMm(takes)
  const described = await featuresOfTakes(takes, clouds, voxelMm, stage(context, 0.25, 0.35), request.colours)
  const unknown = request.starts.some((s) => s === null)
  const placing = unknown && request.guessLooks !== false ? withGuessedLooks(described, takes) : described
  const guessedLooks = [...placing.keys()].filter((i) => placing[i] !== described[i])
  const matches = new CoarseMatches(placing)
  // A guess that is wrong must not hide a pose that fits as well: other poses are looked for without it.
  const rivals = guessedLooks.length > 0 ? new CoarseMatches(described) : matches
  let starts: Motion[] = [],
    joined = Array.from({ length: n }, () => true)
  const asked: readonly Pick<Link, 'a' | 'b'>[] = (request.first ?? []).map(([a, b]) => ({ a, b }))
  let order = asked
  const place = async (strangers: ReadonlySet<number>, part: RunContext): Promise<void> => {
    const found = await placeByShape(placing, matches, request, strangers, part)
    starts = [...found.motions]
    joined = starts.map((_, i) => found.group[i] === found.group[fixedAt])
    order = [...asked, ...found.order]
  }
  if (unknown) {
    await place(new Set(), stage(context, 0.35, 0.6))
    if (joined.filter(Boolean).length < 2)
      throw new GeometryError(
        'NO_OVERLAP',
        'The takes’ shapes show no surface they have in common. Pick three pairs, or take one more ' +
          'that sees what both see.',
      )
  } else
    starts = request.asPlaced ? request.starts.map((s) => s!) : placeRoughly(takes, request, stage(context, 0.35, 0.6))
  let members = [...joined.keys()].filter((i) => joined[i])
  const toned = request.colours
    ? described.map(({ outline, tones }): Toned | null => (tones ? { outline, tones } : null))
    : null
  const settle = async (at: readonly Motion[], part: RunContext, held: Held): Promise<JoinReport> => {
    const joint = request.asPlaced
      ? null
      : await matchTogether(request.groups, takes, members, at, 2 * voxelMm, held.marks, stage(part, 0, 0.5))
    const wanted = { ...request, marks: held.marks }
    let motions: readonly (Motion | null)[] = placed(n, members, joint, at, fixedAt)
    if (joint && held.marks.length + held.coloured.length > 0) {
      const { slides, marks: crossing } = commonOf(wanted, takes, motions, stage(part, 0.5, 0.55))
      const marked = slideToMarks(
        slides.modes,
        motions.map((m) => m ?? identityMotion()),
        crossing,
      )
      // Marks are surer than colours: where there are any, colours do not move what they hold.
      const moved = crossing.length === 0 && toned ? slideToColours(slides.modes, marked, toned, held.coloured) : marked
      motions = placed(n, members, null, moved, fixedAt)
    }
    return await judge(
      wanted,
      takes,
      described,
      rivals,
      motions,
      {
        byShape: unknown,
        guessedLooks,
        rounds: joint?.rounds ?? 0,
        settled: joint?.settled ?? true,
        order,
        toned,
        coloured: held.coloured,
      },
      stage(part, 0.55, 1),
    )
  }
  let held: Held = { marks: request.marks ?? [], coloured: [] }
  let report = await settle(starts, stage(context, 0.6, 0.75), held)
  // What fits none of the others was laid somewhere all the same; it must not speak for the rest. Dots may yet hold it.
  const strangers = unknown && !request.dots ? strangersOf(report, request) : new Set<number>()
  if (strangers.size > 0) {
    await place(strangers, stage(context, 0.75, 0.76))
    members = [...joined.keys()].filter((i) => joined[i])
    report = await settle(starts, stage(context, 0.76, 0.8), held)
  }
  // Shape alone chose the pose; where another fits plainly better on a close look, that one is taken. A person's start
  // is never overruled.
  for (let turn = 0; unknown && turn < MAX_SECOND_THOUGHTS; turn++) {
    const better = report.alternatives.find((a) => a.better)
    if (!better) break
    const moved = report.motions.map((m, i) =>
      m && better.movers.includes(i) ? compose(better.motion, m) : (m ?? identityMotion()),
    )
    report = await settle(moved, stage(context, 0.8 + 0.05 * turn, 0.85 + 0.05 * turn), held)
  }
  if (request.dots)
    report = await settleByDots(request, described, report, (at, marks) =>
      settle(at, stage(context, 0.92, 0.96), (held = { ...held, marks })),
    )
  if (toned)
    report = await settleByColours(request, described, toned, report, (at, coloured) =>
      settle(at, stage(context, 0.96, 1), { ...held, coloured }),
    )
  return report
}

/** A take fits none of the others when it stands from all of them more than so many times what their scatter explains. */
const STRANGE = 3

/**
 * Takes that shape alone has laid on others whose surface they do not have: they fit none of them. Where the fixed take
 * fits none, nothing is said: then nobody knows who the stranger is.
 */
function strangersOf({ pairs, motions }: JoinReport, { starts, fixedAt }: JoinRequest): Set<number> {
  const fits = (i: number): boolean =>
    pairs.some(({ a, b, shared }) => (a === i || b === i) && shared.rmsMm <= STRANGE * shared.expectedMm)
  const placed = [...motions.keys()].filter((i) => motions[i])
  if (placed.length < 3 || !fits(fixedAt)) return new Set()
  return new Set(placed.filter((i) => i !== fixedAt && !starts[i] && !fits(i)))
}

/** All that are joined, in one problem; null when they are all one group. */
async function matchTogether(
  groups: readonly number[],
  takes: readonly OrientedCloud[],
  members: readonly number[],
  at: readonly Motion[],
  reachMm: number,
  marks: readonly Mark[],
  context: RunContext,
): Promise<JointMatch | null> {
  const numbers = [...new Set(members.map((i) => groups[i]))]
  if (numbers.length < 2) return null
  const bodies = members.map((i) => ({
    cloud: takes[i],
    start: at[i],
    moves: freeMoves(6 * numbers.indexOf(groups[i])),
  }))
  return matchJointly(
    bodies,
    {
      reachMm,
      unknowns: 6 * numbers.length,
      apart: (a, b) => groups[members[a]] === groups[members[b]],
      marks: marks
        .filter((m) => members.includes(m.a) && members.includes(m.b))
        .map((m) => ({ ...m, a: members.indexOf(m.a), b: members.indexOf(m.b) })),
    },
    context,
  )
}

/** Expressed in the fixed take's frame. */
function placed(
  n: number,
  members: readonly number[],
  joint: JointMatch | null,
  starts: readonly Motion[],
  fixedAt: number,
): (Motion | null)[] {
  const at = (i: number): Motion => (joint ? joint.motions[members.indexOf(i)] : starts[i])
  const back = invertRigid(at(fixedAt))
  return Array.from({ length: n }, (_, i) =>
    !members.includes(i) ? null : i === fixedAt ? identityMotion() : compose(back, at(i)),
  )
}

/** Candidates of every pair that has no known place, put together. */
async function placeByShape(
  described: readonly TakeFeatures[],
  matches: CoarseMatches,
  { starts, fixedAt, first = [], poses = [] }: JoinRequest,
  strangers: ReadonlySet<number>,
  context: RunContext,
): Promise<ReturnType<typeof assemble>> {
  const n = described.length
  const wanted: [number, number][] = []
  for (let a = 0; a < n; a++)
    for (let b = a + 1; b < n; b++)
      if ((!starts[a] || !starts[b]) && !strangers.has(a) && !strangers.has(b)) wanted.push([a, b])
  await matches.prepare(wanted, context)
  const pairs: PairCandidates[] = wanted.map(([a, b]) => ({ a, b, candidates: matches.between(a, b) }))
  // The fixed take alone is as good as a known place; without others it is a group of its own.
  return assemble(described, pairs, starts.some((s, i) => s && i !== fixedAt) ? starts : [], first, poses)
}

/** Each take matched to what is placed already, from where a person put it. */
function placeRoughly(takes: readonly OrientedCloud[], request: JoinRequest, context: RunContext): Motion[] {
  const { clouds, fixedAt, groups } = request
  const motions: Motion[] = request.starts.map((s) => s!)
  const size = Math.max(...takes.map((t) => t.sizeMm))
  const done = new Set([...groups.keys()].filter((i) => groups[i] === groups[fixedAt]))
  const waiting = [...new Set(groups)].filter((g) => g !== groups[fixedAt])
  waiting.forEach((g, k) => {
    const part = stage(context, k / waiting.length, (k + 1) / waiting.length)
    const members = [...groups.keys()].filter((i) => groups[i] === g)
    const target = done.size === 1 ? takes[[...done][0]] : together(clouds, takes, [...done], motions)
    const frame = done.size === 1 ? motions[[...done][0]] : null
    const source = members.length === 1 ? takes[members[0]] : together(clouds, takes, members, motions)
    const own = members.length === 1 ? motions[members[0]] : null
    const start = compose(frame ? invertRigid(frame) : identityMotion(), own ?? identityMotion())
    const { motion } = matchFine(source, target, start, { maxPairDistanceMm: ROUGH_SHARE * size }, part)
    const inCommon = frame ? compose(frame, motion) : motion
    for (const i of members) {
      motions[i] = own ? inCommon : compose(inCommon, motions[i])
      done.add(i)
    }
  })
  return motions
}

/** Several takes as one, in the common frame, with what is known of their surfaces already. */
function together(
  clouds: readonly PointCloud[],
  takes: readonly OrientedCloud[],
  members: readonly number[],
  motions: readonly Motion[],
): OrientedCloud {
  const total = members.reduce((s, i) => s + clouds[i].positions.length / 3, 0)
  const positions = new Float32Array(total * 3),
    normals = new Float32Array(total * 3),
    boundary = new Uint8Array(total),
    order = new Int32Array(total)
  let at = 0
  for (const i of members) {
    const t = takes[i],
      m = motions[i]
    positions.set(transformPoints(m, t.positions), at * 3)
    const turn = Float64Array.from(m)
    turn[3] = turn[7] = turn[11] = 0
    normals.set(transformPoints(turn, t.features.normals), at * 3)
    boundary.set(t.features.boundary, at)
    t.features.order.forEach((v, k) => {
      order[at + k] = at + v
    })
    at += t.positions.length / 3
  }
  const all = members.map((i) => takes[i].features)
  const box = [0, 1, 2].map((k) => {
    let low = Infinity,
      high = -Infinity
    for (let i = k; i < positions.length; i += 3) {
      low = Math.min(low, positions[i])
      high = Math.max(high, positions[i])
    }
    return high - low
  })
  return new OrientedCloud(
    positions,
    {
      ...all[0],
      normals,
      boundary,
      order,
      spacingMm: Math.max(...all.map((f) => f.spacingMm)),
      noiseMm: Math.max(...all.map((f) => f.noiseMm)),
    },
    Math.hypot(...box),
  )
}
