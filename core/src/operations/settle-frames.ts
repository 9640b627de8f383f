import Joi from 'joi'
import { settleFrames, type SettledTake, type SettlingTake } from '../align/frames/settle-frames'
import { findDoubleLayers, type DoubleLayers } from '../cloud/double-layers'
import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { mm, percent } from '../findings'
import { invertRigid, rotationAngle, compose, transformPoint, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { ghostFinding } from './match-frames'
import { WORKS_ON } from './inputs'
import { defineOperation, type OperationResult } from './operation'
import { othersOf } from './sole-loss'

type Placed = SettlingTake['placed']
export type SettleParams = {
  /** Names in the motions: this take, then the others. */
  names: string[]
  /** How the frames of each were placed, in the order of the names. */
  placed: Placed[]
}

/** A joined take, as all know it. */
export interface NamedTake extends SettlingTake {
  readonly name: string
}

/** What comes out of a take whose frames were matched with those of all others. */
export type SettledPart = Pick<OperationResult, 'figures' | 'findings'> & {
  readonly name: string
  readonly outputs: { readonly take: PointCloud }
}

/**
 * The frames of joined takes matched with each other in one problem. It is the same whichever take is asked for: what
 * comes out of one take alone is what comes out of it when all are asked for.
 * @param of names of the takes that are asked for; their frames must be free to move
 * @throws as `settleFrames`
 */
export async function settleTakes(
  takes: readonly NamedTake[],
  of: readonly string[],
  context: RunContext,
): Promise<SettledPart[]> {
  const all = [...takes]
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .map((t) => ({ ...t, placed: t.cloud.frame ? t.placed : ('whole' as const) }))
  const asked = of.map((name) => all.findIndex((t) => t.name === name))
  const before = asked.map((i, k) =>
    findDoubleLayers(all[i].cloud, stage(context, (0.05 * k) / asked.length, (0.05 * (k + 1)) / asked.length)),
  )
  const settled = await settleFrames(all, stage(context, 0.05, 0.95))
  return asked.map((i, k) => {
    const after = findDoubleLayers(
      settled[i].cloud,
      stage(context, 0.95 + (0.05 * k) / asked.length, 0.95 + (0.05 * (k + 1)) / asked.length),
    )
    return partOf(all[i], settled[i], all.length - 1, before[k], after)
  })
}

function partOf(
  { name, cloud, motion }: NamedTake,
  settled: SettledTake,
  others: number,
  before: DoubleLayers,
  after: DoubleLayers,
): SettledPart {
  const share = (d: DoubleLayers): number => (d.patches > 0 ? d.double / d.patches : 0)
  const moved = settled.corrections.length > 0
  const largestMm = moved ? largestMove(cloud, settled.corrections) : 0
  const ghost = ghostFinding(after, 'Take it again, slower')
  return {
    name,
    outputs: { take: settled.cloud },
    figures: {
      points: cloud.positions.length / 3,
      frames: cloud.frameOrigins!.length / 3,
      others,
      moved,
      largestMm,
      largestTurnDeg: Math.max(0, ...settled.corrections.map((c) => (rotationAngle(c) * 180) / Math.PI)),
      doubleBefore: share(before),
      doubleAfter: share(after),
      takeMovedMm: largestMove(
        cloud,
        Array.from({ length: cloud.frameOrigins!.length / 3 }, () => compose(invertRigid(motion), settled.motion)),
      ),
    },
    findings: [
      moved
        ? {
            ...ghost,
            text: `${ghost.text} Frames were moved by up to ${mm(largestMm, 2)}, to where all takes agree best.`,
            figures: [
              ...(ghost.figures ?? []),
              { label: 'Double before', value: percent(share(before)) },
              { label: 'Farthest move', value: mm(largestMm, 2) },
            ],
          }
        : {
            ...ghost,
            text:
              `${ghost.text} Against the other takes they lie as near as moving them could bring them; ` +
              'nothing was moved.',
          },
    ],
  }
}

/** The frames of a joined take matched with the frames of all others, in one problem; this take is what comes out. */
export const settleTakeFrames = defineOperation({
  name: 'take.settleFrames',
  version: 2,
  inputs: { take: WORKS_ON.take, others: WORKS_ON.others, motions: WORKS_ON.join },
  params: Joi.object<SettleParams>({
    names: Joi.array().items(Joi.string()).min(2).required(),
    placed: Joi.array()
      .items(Joi.string().valid('table', 'free', 'whole'))
      .min(2)
      .required(),
  }),
  onPiece: { track: 'take', doing: ([name]) => `Matching the frames of “${name}” with the other takes` },
  estimate: ({ take, others }) => {
    const points = [take, ...others].reduce((n, c) => n + c.positions.length / 3, 0)
    return { work: 15 + points / 1e4, bytes: points * 400 }
  },
  async run(inputs, { names, placed }, context) {
    const cloud = inputs.take
    const joined = othersOf(inputs, names)
    if (!joined || joined.others.length === 0)
      throw new GeometryError(
        'PARAMS',
        `“${names[0]}” is not joined to other takes; its frames can only be matched with each other.`,
      )
    if (placed.length !== joined.others.length + 1 || placed[0] === 'whole')
      throw new GeometryError(
        'PARAMS',
        'Say of each take how its frames were placed; the frames of the first must be free to move.',
      )
    const takes = [{ cloud, motion: joined.own }, ...joined.others].map((t, i) => ({
      ...t,
      name: names[i],
      placed: placed[i],
    }))
    const [{ name: _own, ...part }] = (await settleTakes(takes, [names[0]], context)) as [SettledPart]
    return part
  },
  describe: ({ names }, f) =>
    f.moved
      ? `Matched ${f.frames} frames of “${names[0]}” with ` +
        `${Number(f.others) === 1 ? 'the other take' : `${f.others} other takes`}: moved by up to ` +
        `${mm(Number(f.largestMm), 2)}`
      : `Looked whether the frames of “${names[0]}” lie better against the other takes: they do not`,
})

/** Farthest that any of a take's points moves, by an even look. */
function largestMove({ positions: p, frame }: PointCloud, corrections: readonly Motion[]): number {
  let most = 0
  for (let i = 0; i < frame!.length; i += 17) {
    const [x, y, z] = transformPoint(corrections[frame![i]], p[i * 3], p[i * 3 + 1], p[i * 3 + 2])
    most = Math.max(most, Math.hypot(x - p[i * 3], y - p[i * 3 + 1], z - p[i * 3 + 2]))
  }
  return most
}
