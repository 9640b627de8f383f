import { captureTake, TABLETOP_DEVICE } from '../bench/capture'
import { layDots } from '../bench/lay-dots'
import { BRASS_CLEAT, type DemoPiece } from '../bench/pieces'
import { ALL_FAULTS } from '../bench/settings'
import { TRUE_KIND } from '../bench/sink'
import { medianSpacing } from '../cloud/spacing'
import type { RunContext } from '../context'
import { invertRigid, transformPoint } from '../linear/rigid'
import { operationNamed, runOperation } from '../operations'
import { NO_DOTS, type DotSettings } from '../plan/dots'
import type { PlannedTake } from '../plan/takes'
import { indicesWhere, pickPoints, type PointCloud } from '../shapes'
import { hasBit } from '../select/bits'
import type { Selection } from '../operations'
import { findDots } from '../tidy/dots'
import { hasOf, proposeTidy } from '../plan/tidy-proposal'

/* Takes of the bench tidied without a hand, judged by what the bench knows each point to be: for tests and figures. */

export interface TidyJudged {
  readonly points: number
  /** Points of the piece outside the contact band that went, and their share. */
  readonly lost: number
  readonly lostShare: number
  /** Points farther than three sigma from the piece, and how many of them stayed. */
  readonly foreign: number
  readonly foreignLeft: number
  readonly goneShare: number
  readonly leftByKind: Readonly<Record<string, number>>
  readonly said: readonly string[]
}

/** Contact band: this near to the table, or to what holds the piece, points of both run into each other, mm. */
const CONTACT_MM = 1

const known = Object.entries(TRUE_KIND)

/** Bare metal is taken under a coat. */
const COAT_MM = 0.01

export async function judgeTidy(
  piece: DemoPiece,
  take: PlannedTake,
  seed: number,
  context: RunContext,
  dots: DotSettings = NO_DOTS,
): Promise<TidyJudged> {
  const device = {
    ...TABLETOP_DEVICE,
    nearMm: TABLETOP_DEVICE.nearMm - 60,
    farMm: TABLETOP_DEVICE.farMm + 60,
    windowMm: Math.max(TABLETOP_DEVICE.windowMm, 1.25 * piece.lengthMm),
  }
  const { cloud, truth, trueKinds } = captureTake(piece, take, device, seed, context, {
    faults: ALL_FAULTS,
    spacingMm: 0.5,
    coatMm: piece === BRASS_CLEAT ? COAT_MM : 0,
    dots: layDots(piece, take, dots),
  })
  const back = invertRigid(truth)
  const n = cloud.positions.length / 3
  const away = Float32Array.from({ length: n }, (_, i) => {
    const [x, y, z] = transformPoint(
      back,
      cloud.positions[i * 3],
      cloud.positions[i * 3 + 1],
      cloud.positions[i * 3 + 2],
    )
    return Math.abs(piece.field(x, y, z))
  })
  // Heights of table and holder in the contact of the piece.
  let holderTop = 0
  for (let i = 0; i < n; i++)
    if (trueKinds[i] === TRUE_KIND.holder && cloud.positions[i * 3 + 2] > holderTop)
      holderTop = cloud.positions[i * 3 + 2]!
  const said: string[] = []
  let now: PointCloud = cloud
  let ids = Int32Array.from({ length: n }, (_, i) => i)
  for (const { operation, params } of proposeTidy({
    planned: take,
    dots,
    bench: false,
    deviceTable: true,
    has: hasOf(cloud),
    keepBase: false,
  })) {
    try {
      const { outputs, findings } = await runOperation(
        operationNamed(operation),
        { take: now },
        { ...params, apply: false },
        context,
      )
      const goes = outputs.selection as Selection
      const stays = Uint8Array.from({ length: ids.length }, (_, i) => (hasBit(goes.bits, i) ? 0 : 1))
      said.push(
        `${operation.slice(5)} ` +
          (`${stays.length - stays.reduce((s, x) => s + x, 0)}` +
            (findings[0].verdict === 'sound' ? '' : `: ${findings[0].text}`)),
      )
      const keep = indicesWhere(stays, 1)
      now = pickPoints(now, keep)
      ids = keep.map((i) => ids[i])
    } catch (error) {
      said.push(`${operation.slice(5)}: ${(error as Error).message}`)
    }
  }
  const left = new Uint8Array(n)
  for (const i of ids) left[i] = 1
  const limit = 3 * device.noiseMm
  const leftByKind: Record<string, number> = {}
  let pieces = 0,
    lost = 0,
    foreign = 0,
    foreignLeft = 0
  for (let i = 0; i < n; i++) {
    const kind = trueKinds[i]
    const z = cloud.positions[i * 3 + 2]
    const mine = kind === TRUE_KIND.piece
    if (mine && z > holderTop + CONTACT_MM) {
      pieces++
      if (left[i] === 0) lost++
    }
    if (!mine && kind !== TRUE_KIND.pieceDot && away[i] > limit) {
      foreign++
      if (left[i] === 1) {
        foreignLeft++
        const name = known.find(([, v]) => v === kind)![0]
        leftByKind[name] = (leftByKind[name] ?? 0) + 1
      }
    }
  }
  return {
    points: n,
    lost,
    lostShare: lost / Math.max(1, pieces),
    foreign,
    foreignLeft,
    goneShare: foreign === 0 ? 1 : 1 - foreignLeft / foreign,
    leftByKind,
    said,
  }
}

export interface DotsJudged {
  /** Dots whose disc shows by most of its points. */
  readonly shown: number
  readonly found: number
  readonly falseOnes: number
}

/** Shown: at least this share of the points that an even disc of the take's spacing would hold. */
const SHOWN_SHARE = 0.6

/** Dots of one take, on the piece or on the mat, against where the bench put them. */
export function judgeDots(
  piece: DemoPiece,
  take: PlannedTake,
  seed: number,
  context: RunContext,
  settings: DotSettings,
  spacingMm = 0.3,
): DotsJudged {
  const device = {
    ...TABLETOP_DEVICE,
    nearMm: TABLETOP_DEVICE.nearMm - 60,
    farMm: TABLETOP_DEVICE.farMm + 60,
    windowMm: Math.max(TABLETOP_DEVICE.windowMm, 1.25 * piece.lengthMm),
  }
  const places = layDots(piece, take, settings)
  const { cloud, truth } = captureTake(piece, take, device, seed, context, {
    faults: ALL_FAULTS,
    spacingMm,
    dots: places,
  })
  const { positions: p } = cloud
  const spacing = medianSpacing(cloud)
  const r = settings.diameterMm / 2
  const centres = places.map((d) => (d.space === 'piece' ? transformPoint(truth, ...d.at) : d.at))
  const shown = centres.filter(([x, y, z]) => {
    let n = 0
    for (let i = 0; i < p.length; i += 3) if ((p[i] - x) ** 2 + (p[i + 1] - y) ** 2 + (p[i + 2] - z) ** 2 < r * r) n++
    return n >= (SHOWN_SHARE * Math.PI * r * r) / (spacing * spacing)
  })
  const { dots } = findDots(cloud, settings.diameterMm, context)
  const near = (a: ArrayLike<number>, b: ArrayLike<number>): boolean =>
    Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) < r
  return {
    shown: shown.length,
    found: shown.filter((c) => dots.some((d) => near(d.centre, c))).length,
    falseOnes: dots.filter((d) => !centres.some((c) => near(d.centre, c))).length,
  }
}
