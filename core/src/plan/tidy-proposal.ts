import type { DotSettings } from './dots'
import type { PlannedTake } from './takes'
import type { PointCloud } from '../shapes'

/** One act on a take by the registry's name. */
export interface TidyStep {
  readonly operation: string
  readonly params: Readonly<Record<string, unknown>>
}

/** What is known of a take before it is tidied. */
export interface TidyKnown {
  /** The take as planned, when it was. */
  readonly planned: Pick<PlannedTake, 'kind' | 'support'> | null
  readonly dots: Pick<DotSettings, 'where' | 'diameterMm'> | null
  /** The empty bench was taken and is still good. */
  readonly bench: boolean
  /** Its points lie in the coordinates of a device that knows its own table: z is the height over it. */
  readonly deviceTable: boolean
  readonly has: { readonly frames: boolean; readonly colours: boolean }
  /** What the table shows helps joining and stays for now. */
  readonly keepBase: boolean
  /** What floats and what was seen through is left to the fuse: the skin keeps what hangs together. */
  readonly leftToFuse?: boolean
  /** Takes are brought to this spacing before they come together; null: they stay as they were taken. */
  readonly commonSpacingMm?: number | null
}

/**
 * Floating patches smaller than this share of the piece go by themselves; larger ones may be the inside of a hollow
 * piece.
 */
const PATCH_SHARE = 0.001
/** The table in the coordinates of a device that turns it: level, through the origin. */
const DEVICE_TABLE = [0, 0, 1, 0] as const

/** What a cloud brings along that acts at Tidy need. */
export const hasOf = (cloud: Pick<PointCloud, 'frame' | 'frameOrigins' | 'colours'>): TidyKnown['has'] => ({
  frames: !!cloud.frame && !!cloud.frameOrigins,
  colours: !!cloud.colours,
})

/**
 * The acts that leave only the piece, in the order they are done: frames gone astray, points seen through, what holds
 * the piece while the table still shows where it stands, dots, table, strays; then one spacing for all, where that is
 * wanted. Each can be done by itself.
 */
export function proposeTidy(known: TidyKnown): TidyStep[] {
  const { planned, dots } = known
  const steps: TidyStep[] = []
  if (known.has.frames) {
    steps.push({ operation: 'tidy.removeFarFrames', params: {} })
    if (!known.leftToFuse) steps.push({ operation: 'tidy.removeMixed', params: {} })
  }
  const gripped = planned !== null && (planned.kind === 'grip' || planned.kind === 'vise')
  if (!known.keepBase && planned && (gripped || planned.support !== 'plate'))
    steps.push({
      operation: 'tidy.removeHolder',
      params: { by: 'round', ...(known.deviceTable && { plane: [...DEVICE_TABLE] }) },
    })
  if (dots && dots.where === 'piece' && known.has.colours)
    steps.push({ operation: 'tidy.removeDots', params: { diameterMm: dots.diameterMm } })
  if (!known.keepBase && !gripped)
    steps.push(
      known.bench
        ? { operation: 'tidy.subtractBench', params: {} }
        : { operation: 'tidy.trimTable', params: known.deviceTable ? { plane: [...DEVICE_TABLE] } : {} },
    )
  if (!known.leftToFuse) steps.push({ operation: 'tidy.removeStrays', params: { minShare: PATCH_SHARE } })
  if (known.commonSpacingMm) steps.push({ operation: 'tidy.thin', params: { spacingMm: known.commonSpacingMm } })
  return steps
}
