/* IEC 61966-2-1: what the bytes of a picture mean as light. */

/** Light of a value as it is written, both 0–1. */
export const toLight = (v: number): number => (v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4)
/** The value that is written for light; what is outside 0–1 is brought to its ends. */
export const toWritten = (light: number): number =>
  light <= 0.0031308 ? 12.92 * Math.max(0, light) : 1.055 * Math.min(1, light) ** (1 / 2.4) - 0.055

/** Light of each byte. */
export const LIGHT_OF = Float32Array.from({ length: 256 }, (_, i) => toLight(i / 255))

const STEPS = 4096
/** Root of the light in steps, so that the dark is as fine as the bright. */
const BYTE_OF_ROOT = Uint8Array.from({ length: STEPS + 1 }, (_, i) => Math.round(255 * toWritten((i / STEPS) ** 2)))

/** The byte that is written for light, from a table: never off by more than one where rounding is near a half. */
export const byteOf = (light: number): number =>
  light <= 0 ? 0 : light >= 1 ? 255 : BYTE_OF_ROOT[Math.round(Math.sqrt(light) * STEPS)]
