import Joi from 'joi'
import { settleFrames, type SettlingTake } from '../align/settle-frames'
import { findDoubleLayers } from '../cloud/double-layers'
import { stage } from '../context'
import { GeometryError } from '../errors'
import { mm, percent } from '../findings'
import { invertRigid, rotationAngle, compose, transformPoint, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { ghostFinding } from './match-frames'
import { cloudOf, defineOperation } from './operation'
import { othersOf } from './sole-loss'

type Placed = SettlingTake['placed']
interface Params {
  /** Names in the motions: this take, then the others. */
  names: string[]
  /** How the frames of each were placed, in the order of the names. */
  placed: Placed[]
}

/** The frames of a joined take matched with the frames of all others, in one problem; this take is what comes out. */
export const settleTakeFrames = defineOperation<Params>({
  name: 'take.settleFrames',
  version: 1,
  inputs: { take: 'cloud', others: 'clouds', motions: 'motions' },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).min(2).required(),
    placed: Joi.array().items(Joi.string().valid('table', 'free', 'whole')).min(2).required(),
  }),
  estimate: ({ take, others }) => {
    const points = [take as PointCloud, ...(others as readonly PointCloud[])].reduce((n, c) => n + c.positions.length / 3, 0)
    return { work: 15 + points / 1e4, bytes: points * 400 }
  },
  async run(inputs, { names, placed }, context) {
    const cloud = cloudOf(inputs, 'take')
    const joined = othersOf(inputs, names)
    if (!joined || joined.others.length === 0) throw new GeometryError('PARAMS', `“${names[0]}” is not joined to other takes; its frames can only be matched with each other.`)
    if (placed.length !== joined.others.length + 1 || placed[0] === 'whole') throw new GeometryError('PARAMS', 'Say of each take how its frames were placed; the frames of the first must be free to move.')
    const before = findDoubleLayers(cloud, stage(context, 0, 0.05))
    const takes = [{ cloud, motion: joined.own, placed: placed[0]! }, ...joined.others.map((o, i) => ({ ...o, placed: o.cloud.frame ? placed[i + 1]! : 'whole' as const }))]
    const [settled] = await settleFrames(takes, stage(context, 0.05, 0.95)) as [Awaited<ReturnType<typeof settleFrames>>[number]]
    const after = findDoubleLayers(settled.cloud, stage(context, 0.95, 1))
    const share = (d: typeof before): number => (d.patches > 0 ? d.double / d.patches : 0)
    const moved = settled.corrections.length > 0
    const largestMm = moved ? largestMove(cloud, settled.corrections) : 0
    const ghost = ghostFinding(after, 'Take it again, slower')
    return {
      outputs: { take: settled.cloud },
      figures: {
        points: cloud.positions.length / 3, frames: cloud.frameOrigins!.length / 3, others: joined.others.length, moved, largestMm, largestTurnDeg: Math.max(0, ...settled.corrections.map((c) => (rotationAngle(c) * 180) / Math.PI)),
        doubleBefore: share(before), doubleAfter: share(after), takeMovedMm: largestMove(cloud, Array.from({ length: cloud.frameOrigins!.length / 3 }, () => compose(invertRigid(joined.own), settled.motion))),
      },
      findings: [moved
        ? { ...ghost, text: `${ghost.text} Frames were moved by up to ${mm(largestMm, 2)}, to where all takes agree best.`, figures: [...(ghost.figures ?? []), { label: 'Double before', value: percent(share(before)) }, { label: 'Farthest move', value: mm(largestMm, 2) }] }
        : { ...ghost, text: `${ghost.text} Against the other takes they lie as near as moving them could bring them; nothing was moved.` }],
    }
  },
  describe: ({ names }, f) => (f.moved ? `Matched ${f.frames} frames of “${names[0]}” with ${Number(f.others) === 1 ? 'the other take' : `${f.others} other takes`}: moved by up to ${mm(Number(f.largestMm), 2)}` : `Looked whether the frames of “${names[0]}” lie better against the other takes: they do not`),
})

/** Farthest that any of a take's points moves, by an even look. */
function largestMove({ positions: p, frame }: PointCloud, corrections: readonly Motion[]): number {
  let most = 0
  for (let i = 0; i < frame!.length; i += 17) {
    const [x, y, z] = transformPoint(corrections[frame![i]!]!, p[i * 3]!, p[i * 3 + 1]!, p[i * 3 + 2]!)
    most = Math.max(most, Math.hypot(x - p[i * 3]!, y - p[i * 3 + 1]!, z - p[i * 3 + 2]!))
  }
  return most
}
