import { connectedComponents } from '../cloud/components'
import type { Plane } from '../cloud/plane'
import type { RunContext } from '../context'
import { GeometryError } from '../errors'
import { labOf } from '../select/by-value'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'
import { findRoundHolder, footingOf, type Footing, type RoundHolder } from './holder-round'

/** How what holds the piece is told from it. */
export type HolderBy = 'round' | 'height' | 'colour' | 'neck'

export interface HolderOptions {
  readonly by: HolderBy
  /** Height over the table up to which everything is holder; for `height`. */
  readonly heightMm: number | null
  /** Colour difference (CIE76) up to which a point has the holder's colour. */
  readonly difference: number
  readonly spacingMm: number
  /** Points nearer to the table than this are the table's. */
  readonly offsetMm: number
}

export interface FoundHolder {
  /** 1 where a point belongs to the holder, or lies in it. */
  readonly mask: Uint8Array
  /** Over the table, mm. */
  readonly topMm: number
  readonly round: RoundHolder | null
}

/**
 * Walls lower than these shares of the take's height vote for a round holder: low ones first, where the piece has not
 * begun.
 */
const LOW_SHARES = [0.06, 0.15, 0.3, 0.5] as const
const MIN_LOW_SPACINGS = 8
const TOLERANCE_SPACINGS = 1.2

/**
 * Riser, putty or grip under a piece. `round`: an upright cylinder on the table, wall, top and what lies in it.
 * `height`: everything up to a height.
 * `colour`: what hangs together with the foot and has its colour. `neck`: everything below the narrowest place.
 * @param cloud with normals
 * @param table the plane it stands on, normal up
 * @throws DEGENERATE where nothing of the kind is found, in words for the bench
 */
export function findHolder(
  cloud: PointCloud & { readonly normals: Float32Array },
  table: Pick<Plane, 'normal' | 'offsetMm'>,
  options: HolderOptions,
  context: RunContext,
): FoundHolder {
  const f = footingOf(cloud.positions, table.normal, table.offsetMm)
  switch (options.by) {
    case 'round':
      return byRound(cloud, table, f, options, context)
    case 'height':
      return byHeight(f, options.heightMm)
    case 'colour':
      return byColour(cloud, f, options, context)
    case 'neck':
      return byNeck(f, options)
  }
}

function byHeight(f: Footing, heightMm: number | null): FoundHolder {
  if (heightMm === null || !(heightMm > 0))
    throw new GeometryError('PARAMS', 'Give the height of what holds the piece, more than 0 mm.')
  return { mask: Uint8Array.from(f.h, (h) => (h <= heightMm ? 1 : 0)), topMm: heightMm, round: null }
}

function byRound(
  { normals }: { readonly normals: Float32Array },
  table: Pick<Plane, 'normal' | 'offsetMm'>,
  f: Footing,
  { spacingMm, offsetMm }: HolderOptions,
  context: RunContext,
): FoundHolder {
  const tall = heightOf(f)
  let round: RoundHolder | null = null
  for (const share of LOW_SHARES) {
    const low = offsetMm + Math.max(share * tall, MIN_LOW_SPACINGS * spacingMm)
    round = findRoundHolder(normals, table.normal, f, spacingMm, offsetMm, low, tall, context.random)
    if (round) break
  }
  if (!round)
    throw new GeometryError(
      'DEGENERATE',
      'No round riser or grip stands on the table; say how high the holder is, or choose it by hand.',
    )
  const tolerance = TOLERANCE_SPACINGS * spacingMm
  const mask = new Uint8Array(f.h.length)
  const [cu, cv] = round.centre
  // Wall, level top and all that lies within: where they touch, a little of the piece goes too, which the other take
  // has.
  for (let i = 0; i < mask.length; i++)
    if (f.h[i] <= round.topMm + 0.5 * tolerance && Math.hypot(f.u[i] - cu, f.v[i] - cv) <= round.radiusMm + tolerance)
      mask[i] = 1
  return { mask, topMm: round.topMm, round }
}

function byColour(
  cloud: PointCloud,
  f: Footing,
  { difference, spacingMm, offsetMm }: HolderOptions,
  context: RunContext,
): FoundHolder {
  const { colours: c } = cloud
  if (!c)
    throw new GeometryError('PARAMS', 'This take has no colours; tell the holder by its height, or choose it by hand.')
  const seedTop = offsetMm + Math.max(3 * spacingMm, 2)
  const tones = Array.from(f.h.keys()).filter((i) => f.h[i] > offsetMm && f.h[i] < seedTop)
  if (tones.length < 10)
    throw new GeometryError('DEGENERATE', 'Hardly a point lies just above the table; the holder’s colour is not known.')
  const labs = tones.map((i) => labOf(c[i * 3], c[i * 3 + 1], c[i * 3 + 2]))
  const middle = [0, 1, 2].map((k) => labs.map((l) => l[k]).sort((a, b) => a - b)[labs.length >> 1])
  const like = Uint8Array.from({ length: f.h.length }, (_, i) => {
    if (f.h[i] <= offsetMm) return 0
    const l = labOf(c[i * 3], c[i * 3 + 1], c[i * 3 + 2])
    return Math.hypot(l[0] - middle[0], l[1] - middle[1], l[2] - middle[2]) <= difference ? 1 : 0
  })
  const ids = indicesWhere(like, 1)
  const { label } = connectedComponents(pickPoints(cloud, ids), 3 * spacingMm, context)
  const footed = new Set<number>()
  ids.forEach((i, k) => {
    if (f.h[i] < seedTop) footed.add(label[k])
  })
  const mask = new Uint8Array(f.h.length)
  let taken = 0,
    topMm = 0,
    above = 0
  ids.forEach((i, k) => {
    if (!footed.has(label[k])) return
    mask[i] = 1
    taken++
    if (f.h[i] > topMm) topMm = f.h[i]!
  })
  for (let i = 0; i < f.h.length; i++) if (f.h[i] > offsetMm) above++
  if (taken > 0.5 * above)
    throw new GeometryError(
      'DEGENERATE',
      'The foot has the colour of most of the piece; colour does not tell the holder from it.',
    )
  return { mask, topMm, round: null }
}

const NECK = 0.7

function byNeck(f: Footing, { spacingMm, offsetMm }: HolderOptions): FoundHolder {
  const step = 2 * spacingMm
  const tall = heightOf(f)
  const slices = Math.ceil((tall - offsetMm) / step)
  if (slices < 8) throw new GeometryError('DEGENERATE', 'The take is too low over the table to look for a neck.')
  // Length of each slice's outline: cells of two spacings that its points fall in.
  const cells = Array.from({ length: slices }, () => new Set<number>())
  for (let i = 0; i < f.h.length; i++) {
    const s = Math.floor((f.h[i] - offsetMm) / step)
    if (s >= 0 && s < slices)
      cells[s].add((Math.floor(f.u[i] / step) + 32768) * 65536 + Math.floor(f.v[i] / step) + 32768)
  }
  const size = cells.map(
    (_, s) => [s - 1, s, s + 1].map((k) => cells[Math.min(slices - 1, Math.max(0, k))].size).sort((a, b) => a - b)[1],
  )
  let best = -1,
    ratio = NECK
  for (let s = 2; s < slices * 0.6; s++) {
    const below = Math.max(...size.slice(0, s)),
      above = Math.max(...size.slice(s + 1))
    const r = size[s] / Math.min(below, above)
    if (r < ratio) {
      ratio = r
      best = s
    }
  }
  if (best < 0)
    throw new GeometryError(
      'DEGENERATE',
      'There is no neck between foot and piece; say how high the holder is, or choose it by hand.',
    )
  const topMm = offsetMm + (best + 0.5) * step
  return { mask: Uint8Array.from(f.h, (h) => (h <= topMm ? 1 : 0)), topMm, round: null }
}

/** Height of what stands on the table; single strays left out. */
function heightOf(f: Footing): number {
  const sorted = f.h.slice().sort()
  return sorted[Math.floor(0.999 * (sorted.length - 1))]
}
