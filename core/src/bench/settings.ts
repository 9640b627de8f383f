import type { DotPlace } from './dots'

/** What goes wrong at a bench; every effect can be switched off. */
export interface Faults {
  /** Range noise, growing with distance, slant and low signal. */
  readonly noise: boolean
  /** Loss where light clips or starves. */
  readonly exposure: boolean
  /** Points between two surfaces at an outline. */
  readonly mixedPoints: boolean
  /** Steps in depth along strong edges of tone. */
  readonly falseRelief: boolean
  /** Each frame a hair off its place. */
  readonly jitter: boolean
  /** Scale and bow that grow with the temperature since calibration. */
  readonly drift: boolean
  /** The table's axis is not quite where it was measured. */
  readonly axis: boolean
  /** A table that turns too fast for the device. */
  readonly slip: boolean
}

export const ALL_FAULTS: Faults = {
  noise: true,
  exposure: true,
  mixedPoints: true,
  falseRelief: true,
  jitter: true,
  drift: true,
  axis: true,
  slip: true,
}
/** Range noise only: what a device in good order gives of an easy piece. */
export const NOISE_ONLY: Faults = {
  noise: true,
  exposure: false,
  mixedPoints: false,
  falseRelief: false,
  jitter: false,
  drift: false,
  axis: false,
  slip: false,
}
export const NO_FAULTS: Faults = { ...NOISE_ONLY, noise: false }

export interface BenchSettings {
  readonly faults: Faults
  /** Points of a take are thinned to this; null: what the device gives. */
  readonly spacingMm: number | null
  /** Between neighbouring rays of a frame at the stand-off; null: as dense as the take's spacing needs. */
  readonly pitchMm: number | null
  /** Light: signal of a white matt surface square to it; 1 just clips. One value for each exposure of the take. */
  readonly light: number
  readonly temperatureC: number
  readonly calibratedAtC: number
  /** Thickness of a coat, which makes everything pale and matt; 0: none. */
  readonly coatMm: number
  /** The empty bench is known: its points are taken away. */
  readonly reference: boolean
  /** Nothing stands on the table yet but what will hold the piece: the take of the empty bench. */
  readonly pieceAway: boolean
  /** The device stands this much farther than planned. */
  readonly fartherMm: number
  /** Off-centre placing of the piece by hand. */
  readonly placingMm: number
  readonly dots: readonly DotPlace[]
}

export const PLAIN_BENCH: BenchSettings = {
  faults: NOISE_ONLY,
  spacingMm: null,
  pitchMm: null,
  light: 1,
  temperatureC: 20,
  calibratedAtC: 20,
  coatMm: 0,
  reference: false,
  pieceAway: false,
  fartherMm: 0,
  placingMm: 4,
  dots: [],
}
