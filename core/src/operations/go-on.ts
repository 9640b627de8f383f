import Joi from 'joi'
import { matchFine } from '../align/refine/icp'
import { prepareCloud } from '../align/oriented-cloud'
import { measureOverlap } from '../align/overlap'
import { mergeClouds } from '../cloud/merge'
import { medianSpacing } from '../cloud/spacing'
import { layTakes, planFloorMm, TABLE_BAND_MM } from '../complete/lay'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { grouped, mm, percent } from '../findings'
import { compose, identityMotion, invertRigid, type Motion } from '../linear/rigid'
import { takeSchema, type PlannedTake } from '../plan/takes'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  /** First the take that goes on, then the one that is put to it. */
  names: string[]
  planned: (PlannedTake | null)[]
  /** Device, table and piece stood as before: the points lie where they belong. */
  sameSetup: boolean
}

/**
 * Of what the later take sees, this much must be known before frames can go on from it (common practice: about a third;
 * less cannot be checked).
 */
const MIN_KNOWN = 0.15
const WANTED_KNOWN = 0.3

/**
 * Puts a take to another so that both are one: where both see the same, the surest point stays. In the same set-up
 * points are taken as they lie; otherwise the later take is matched to the earlier one, from what the plan says of its
 * pose.
 */
export const goOn = defineOperation({
  name: 'take.goOn',
  version: 1,
  inputs: { takes: WORKS_ON.pair },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).length(2).required(),
    planned: Joi.array().items(takeSchema.allow(null)).length(2).required(),
    sameSetup: Joi.boolean().default(false),
  }),
  onPiece: { track: 'take', doing: ([name, later]) => `“${name}” goes on with “${later}”` },
  estimate: ({ takes }) => ({
    work: 1 + takes.reduce((n, c) => n + c.positions.length, 0) / 3e5,
    bytes: 400e6,
  }),
  run(inputs, params, context) {
    const [first, second] = inputs.takes as [PointCloud, PointCloud]
    const [name, later] = params.names as [string, string]
    // A turned piece leaves its table behind: seen from the other pose it would cut through the piece.
    const added = params.sameSetup ? second : overTable(second, params.planned[1])
    const { motion, known, rmsMm } = params.sameSetup
      ? { motion: identityMotion(), known: null, rmsMm: 0 }
      : found(first, added, params, context)
    const merged = surest(
      mergeClouds([
        { cloud: first, motion: identityMotion() },
        { cloud: added, motion },
      ]),
      first.positions.length / 3,
    )
    const points = merged.positions.length / 3
    const verdict = known !== null && known < WANTED_KNOWN ? ('doubtful' as const) : ('sound' as const)
    return {
      outputs: { take: merged },
      figures: {
        points,
        before: first.positions.length / 3,
        added: second.positions.length / 3,
        known: known ?? 1,
        rmsMm,
        sameSetup: params.sameSetup,
        other: later,
      },
      findings: [
        {
          id: 'take.goOn',
          verdict,
          text:
            known === null
              ? `“${later}” and “${name}” are one take; where both saw the same, the surer point stayed.`
              : `“${name}” goes on with “${later}”: ${percent(known, 0)} of what it saw was known, and fits ` +
                'within ' +
                (`${mm(rmsMm, 3)}.` +
                  (verdict === 'doubtful'
                    ? ' That is little to hold on to; as a take of its own it would be judged in Join.'
                    : '')),
          figures: [
            { label: 'Points', value: grouped(points) },
            ...(known === null
              ? []
              : [{ label: 'Known in view', value: percent(known, 0), rule: `${percent(WANTED_KNOWN, 0)} wanted` }]),
          ],
          ...(verdict === 'doubtful' && { nextMove: 'Undo, and join it as a take of its own' }),
        },
      ],
    }
  },
  describe: (params, f) =>
    `“${params.names[0]}” goes on with “${params.names[1]}”: ${grouped(Number(f.points))} ` +
    `points${params.sameSetup ? ', the surest of each place' : ''}`,
})

/** Of the first `n` points and the others: where one of each lie as close as neighbours do, the surer one stays. */
function surest(both: PointCloud, n: number): PointCloud {
  const p = both.positions,
    sure = both.confidence
  const reach = medianSpacing({ positions: p.subarray(0, n * 3) })
  const tree = new KdTree(p.subarray(0, n * 3))
  const stays = new Uint8Array(p.length / 3).fill(1)
  for (let i = n; i < stays.length; i++) {
    const j = tree.nearest(p[i * 3], p[i * 3 + 1], p[i * 3 + 2], reach * reach)
    if (j < 0) continue
    if (sure && sure[i] > sure[j]) stays[j] = 0
    else stays[i] = 0
  }
  return pickPoints(both, indicesWhere(stays, 1))
}

function overTable(cloud: PointCloud, planned: PlannedTake | null): PointCloud {
  if (!planned) return cloud
  const floorMm = planFloorMm(planned) + TABLE_BAND_MM
  return pickPoints(
    cloud,
    indicesWhere(
      Uint8Array.from({ length: cloud.positions.length / 3 }, (_, i) => (cloud.positions[i * 3 + 2] > floorMm ? 1 : 0)),
      1,
    ),
  )
}

function found(
  first: PointCloud,
  second: PointCloud,
  params: Params,
  context: Parameters<typeof prepareCloud>[1],
): { motion: Motion; known: number; rmsMm: number } {
  const laid = layTakes(
    [first, second],
    { names: params.names, planned: params.planned, motions: null, fixed: params.names[0] },
    stage(context, 0, 0.5),
  )
  const [one, other] = params.names.map((n) => laid.takes.find((t) => t.name === n))
  if (!one || !other)
    throw new GeometryError(
      'NO_OVERLAP',
      `Too little of what “${params.names[1]}” sees is known in “${params.names[0]}”; it cannot go ` +
        'on there. Leave it a take of its own and join it.',
    )
  const start = compose(invertRigid(one.motion), other.motion)
  const target = prepareCloud(first, stage(context, 0.5, 0.6)),
    source = prepareCloud(second, stage(context, 0.6, 0.7))
  const { motion } = matchFine(
    source,
    target,
    start,
    { maxPairDistanceMm: target.sizeMm * 0.02 },
    stage(context, 0.7, 1),
  )
  const overlap = measureOverlap(source, target, motion)
  if (overlap.share < MIN_KNOWN)
    throw new GeometryError(
      'NO_OVERLAP',
      `Only ${percent(overlap.share, 0)} of what “${params.names[1]}” sees is known in ` +
        `“${params.names[0]}”; it cannot go on there. Leave it a take of its own and join it.`,
    )
  return { motion, known: overlap.share, rmsMm: overlap.rmsMm }
}
