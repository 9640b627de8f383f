import Joi from 'joi'
import { estimateFeatures } from '../cloud/normals'
import { medianSpacing } from '../cloud/spacing'
import type { RunContext } from '../context'
import { GeometryError } from '../errors'
import { insideOut } from '../fuse/inside-out'
import { gatherPoints, type FusePoints, type FuseTake } from '../fuse/points'
import { compose, identityMotion, type Motion } from '../linear/rigid'
import { uprightOf } from '../linear/upright'
import type { FreeSpace } from '../holes/lay-behind'
import { freeSpaceOf } from '../view/free-space'
import type { PointCloud } from '../shapes'
import type { Motions } from './artefacts'
import { ONE_NAME_EACH } from './operation'

/** Free space is told in pixels so many spacings wide. */
const FREE_SPACINGS = 3

interface Inputs {
  readonly takes: readonly PointCloud[]
  readonly motions?: Motions
}

/** Takes where the join puts them; one of which it says nothing stays. */
export function placedTakes(
  { takes, motions }: Inputs,
  names: readonly string[],
): { cloud: PointCloud; motion: Motion }[] {
  const placed = motions?.motions ?? {}
  return takes.map((cloud, i) => ({
    cloud,
    motion: Object.hasOwn(placed, names[i]) ? placed[names[i]] : identityMotion(),
  }))
}

/** How takes lie under a skin: what they are called, which way was up, and by how much it was made larger since. */
export interface UnderSkin {
  readonly names: readonly string[]
  readonly up: readonly number[] | null
  /** @defaultValue 1 */
  readonly scale?: number
}

/**
 * Takes with normals, as they lie in the skin's frame: where the join puts them, stood upright.
 * @param up which way is up in the fixed take's frame; null: its third axis
 * @throws PARAMS where the join says nothing of one of several
 */
export function takesInSkin(
  { takes, motions }: Inputs,
  { names, up }: Pick<UnderSkin, 'names' | 'up'>,
  context: RunContext,
): FuseTake[] {
  const placed = motions?.motions ?? {}
  const upright = uprightOf(up)
  return takes.map((cloud, i) => {
    const name = names[i]
    const motion = name !== undefined && Object.hasOwn(placed, name) ? placed[name] : undefined
    if (!motion && takes.length > 1)
      throw new GeometryError('PARAMS', `There is no motion for the take "${name ?? i}".`)
    const normals = cloud.normals ?? estimateFeatures(cloud, context).normals
    const here = motion ?? identityMotion()
    return { cloud: { ...cloud, normals }, motion: upright ? compose(upright, here) : here }
  })
}

/** The same as parameters of an operation. */
export const UNDER_SKIN = {
  names: Joi.array().items(Joi.string()).unique().default([]).messages(ONE_NAME_EACH),
  up: Joi.array().items(Joi.number()).length(3).allow(null).default(null),
  scale: Joi.number().positive().max(1e6).default(1),
}

/** Space round a skin that its takes saw to be empty; null where none tells where it looked from. */
export function freeSpaceUnder(
  ground: Inputs,
  { scale = 1, ...params }: UnderSkin,
  context: RunContext,
): FreeSpace | null {
  const placed = takesInSkin(ground, params, context).map((t) => scaledTake(t, scale))
  const pixelMm = FREE_SPACINGS * Math.max(...placed.map(({ cloud }) => medianSpacing(cloud)))
  return freeSpaceOf(placed, pixelMm)
}

/** A take as it lies under a skin that was made so much larger, about the common zero. */
function scaledTake({ cloud, motion }: FuseTake, scale: number): FuseTake {
  if (scale === 1) return { cloud, motion }
  const moved = motion.slice()
  for (const i of [3, 7, 11]) moved[i] *= scale
  const { frameOrigins } = cloud
  return {
    cloud: {
      ...cloud,
      positions: cloud.positions.map((v) => v * scale),
      ...(frameOrigins && { frameOrigins: frameOrigins.map((v) => v * scale) }),
    },
    motion: moved,
  }
}

/**
 * All points of the takes as they lie under a skin that was made of them: those of a take that faces into the piece
 * turned over, at the size the skin has now.
 */
export function pointsUnderSkin(ground: Inputs, { scale = 1, ...params }: UnderSkin, context: RunContext): FusePoints {
  const given = takesInSkin(ground, params, context).map((t) => scaledTake(t, scale))
  const wrong = insideOut(given)
  return gatherPoints(given.map((t, i) => (wrong.includes(i) ? turnedOver(t) : t)))
}

/** A take whose points face the other way. */
export const turnedOver = (take: FuseTake): FuseTake => ({
  ...take,
  cloud: { ...take.cloud, ...(take.cloud.normals && { normals: take.cloud.normals.map((v) => -v) }) },
})
