/** A projector–camera device as the simulated bench and the plan know it; lengths in mm. Figures are invented. */
export interface Device {
  readonly name: string
  /** Edge of the square footprint at the stand-off. */
  readonly windowMm: number
  readonly standOffMm: number
  /** Usable depth: stand-off ± this. */
  readonly depthBandMm: number
  /** Distance between projector and camera. */
  readonly baselineMm: number
  /** Distance between neighbouring points of one frame at the stand-off. */
  readonly framePitchMm: number
  /** Frames of a take are thinned together to this spacing. */
  readonly fusedSpacingMm: number
  /** Range noise (one standard deviation) at the stand-off; it grows with the square of the distance. */
  readonly noiseMm: number
  /** Surfaces seen flatter than this give no point. */
  readonly maxIncidenceDeg: number
}

export const TABLETOP_DEVICE: Device = {
  name: 'Tabletop structured light',
  windowMm: 160,
  standOffMm: 330,
  depthBandMm: 55,
  baselineMm: 90,
  framePitchMm: 0.72,
  fusedSpacingMm: 0.3,
  noiseMm: 0.05,
  maxIncidenceDeg: 75,
}
