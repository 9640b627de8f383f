import type { Bounds } from '../../shapes'
import type { Implicit } from '../implicit'

/** What a place of the surface does with light. Colours are sRGB bytes. */
export interface SurfaceSample {
  /** Index into the piece's zones. */
  zone: number
  red: number
  green: number
  blue: number
  /** Share of the light that comes back evenly (Lambert), 0–1. */
  reflectance: number
  /** Strength of the mirror lobe beside it: 0 matt, about 1 glazed, more for bare metal. */
  gloss: number
}

/**
 * A piece the simulated bench can put on its table. Coordinates: standing upright, base on z = 0, about the z axis; mm.
 */
export interface DemoPiece {
  readonly name: string
  readonly number: string
  readonly field: Implicit
  readonly bounds: Bounds
  /** Handles of the closed surface; the truth a skin must reproduce. */
  readonly genus: number
  /** Largest extent, and length, width, height. */
  readonly lengthMm: number
  readonly sizeMm: readonly [number, number, number]
  readonly massG: number
  readonly zones: readonly string[]
  /** Colour and reflectance at a place of the surface. */
  readonly surface: (x: number, y: number, z: number, out: SurfaceSample) => void
  /** Tones stand side by side: a device sees false relief along them. */
  readonly contrast: boolean
  /** Thinnest wall, where it is thin beside the size: a mesh must be finer. */
  readonly wallMm?: number
}

/** A sample to be written into: reflectances 0 to 1. */
export const emptySample = (): SurfaceSample => ({ zone: 0, red: 0, green: 0, blue: 0, reflectance: 0, gloss: 0 })

/** Fills a sample; `tint` makes it lighter or darker by a share. */
export function paint(
  out: SurfaceSample,
  zone: number,
  colour: readonly [number, number, number],
  reflectance: number,
  gloss: number,
  tint = 0,
): void {
  const k = 1 + tint
  out.zone = zone
  out.red = Math.min(255, colour[0] * k)
  out.green = Math.min(255, colour[1] * k)
  out.blue = Math.min(255, colour[2] * k)
  out.reflectance = Math.min(1, reflectance * k)
  out.gloss = gloss
}

/** A slow, even variation over the surface, about −1 to 1: nothing real is of one colour. */
export function mottle(x: number, y: number, z: number, sizeMm: number): number {
  const k = 6.283 / sizeMm
  return (
    (Math.sin(k * x + 1.3 * Math.sin(k * 0.7 * y)) +
      Math.sin(k * 0.9 * y + 1.7 * Math.sin(k * 0.6 * z)) +
      Math.sin(k * 1.1 * z + 1.1 * Math.sin(k * 0.8 * x))) /
    3
  )
}
