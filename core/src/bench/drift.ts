import type { DeviceProfile } from '../plan/device-profile'

/** Scale and bow per kelvin since calibration; plausible, not measured. */
export const SCALE_PER_K = 4.5e-5
export const BOW_MM_PER_K = 0.006

/**
 * Where a warm device believes a point of its own frame (right, up, ahead; mm) to be: everything a little larger about
 * the stand-off, and bowed.
 */
export function driftPoint(
  device: Pick<DeviceProfile, 'standOffMm' | 'windowMm'>,
  warmK: number,
  a: number,
  b: number,
  c: number,
): [number, number, number] {
  const s = 1 + SCALE_PER_K * warmK
  const half = device.windowMm / 2
  const so = device.standOffMm
  const r2 = ((a * so) / c / half) ** 2 + ((b * so) / c / half) ** 2
  return [a * s, b * s, so + (c - so) * s + BOW_MM_PER_K * warmK * r2]
}
