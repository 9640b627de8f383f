import type { PieceState } from '@holosoma/engine'
import { LAMP_TAKES, TABLETOP_DEVICE, DEMO_PIECES } from '@holosoma/core/bench'
import { NO_DOTS, planExposures, type DeviceProfile, type PlannedTake } from '@holosoma/core/plan'
import { requirementsOf } from '@holosoma/core/brief'

/* How the simulated bench stands for a piece: device, takes to make, light. Shared by the page and the server. */

/** The brightest zone's signal is set this far under clipping. */
const HEADROOM = 0.66
/** Layer of one coat, where no plan says. */
const COAT_MICROMETRES = 10

export const benchDevice = (state: PieceState): DeviceProfile => state.plan?.content.device ?? TABLETOP_DEVICE

/** The takes to make: those of the plan; the classic two without one. */
export const benchTakes = (state: PieceState): readonly PlannedTake[] => state.plan?.content.takes ?? LAMP_TAKES

/** Thickness of what has been sprayed on so far. */
export const coatMmOf = (state: PieceState): number =>
  (state.session.coats * (state.plan?.content.coatMicrometres ?? COAT_MICROMETRES)) / 1000

/** Light of each exposure of a take: laid out from the brief's zones, shifted by what the operator has set. */
export function lightsFor(state: PieceState, exposures: number): number[] {
  const zones = state.brief?.content.zones ?? []
  const coated = state.session.coats > 0
  const { steps, signals } = planExposures(zones, benchDevice(state).exposureRange, coated)
  const high = Math.max(0.05, ...signals.map((s) => s.high))
  const shift = 2 ** state.session.stops
  const plain = (HEADROOM / (signals.length === 0 ? 0.75 : high)) * shift
  if (exposures <= 1) return [plain]
  const top = steps.at(-1)?.gain ?? 4
  return Array.from({ length: exposures }, (_, i) => plain * Math.max(top, 4) ** (i / (exposures - 1)))
}

/** What the server knows of the bench when a take is asked for; the page can only choose the take and its light. */
export function benchParams(state: PieceState): Record<string, unknown> {
  const s = state.session
  const piece = state.piece.benchPiece === null ? undefined : DEMO_PIECES[state.piece.benchPiece]
  const wanted = state.brief ? requirementsOf(state.brief.content).wantedSpacingMm : null
  // As fine as the brief asks, but no finer than a few hundred points across the piece: a demo should not wait for
  // minutes.
  const spacingMm = Math.max(wanted ?? 0, (piece?.lengthMm ?? 100) / 400)
  return {
    device: benchDevice(state),
    spacingMm: Math.round(spacingMm * 100) / 100,
    temperatureC: s.temperatureC,
    calibratedAtC: s.calibration?.temperatureC ?? 20,
    coatMm: coatMmOf(state),
    dots: state.plan?.content.dots ?? NO_DOTS,
    reference: s.reference === 'valid',
    fartherMm: s.fartherMm,
    faults: true,
    clippingPercent: state.plan?.content.clippingPercent ?? 1,
    lights: lightsFor(state, 1),
  }
}
