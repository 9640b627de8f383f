import Joi from 'joi'
import { rotateVectors, rotationMotion, transformPoint, transformPoints, type Motion } from '../linear/rigid'
import type { Shape } from '../shapes'
import { UNIT_MM, type Unit } from './scale'

/** How a device writes its files: what one unit is, and which axis points up. */
export interface ImportPreset {
  /** `auto`: numbers are taken as millimetres, and what they look like is said. */
  readonly unit: Unit | 'auto'
  readonly up: 'x' | 'y' | 'z'
}

export const PLAIN_PRESET: ImportPreset = { unit: 'auto', up: 'z' }
export const UNITS = ['auto', ...(Object.keys(UNIT_MM) as Unit[])] as const
export const UPS = ['z', 'y', 'x'] as const

export const presetSchema = Joi.object<ImportPreset>({
  unit: Joi.string()
    .valid(...UNITS)
    .required(),
  up: Joi.string()
    .valid(...UPS)
    .required(),
})

/** Formats that say themselves what a unit is and which way is up: a preset changes nothing in them. */
export const saysItsUnit = (fileName: string): boolean => /\.(glb|gltf|3mf)$/i.test(fileName)

/** Everything times a factor; fresh. */
export function scaled<S extends Shape>(shape: S, k: number): S {
  return {
    ...shape,
    positions: Float32Array.from(shape.positions, (v) => v * k),
    ...(shape.originMm && { originMm: [shape.originMm[0] * k, shape.originMm[1] * k, shape.originMm[2] * k] as const }),
    ...(shape.kind === 'cloud' && shape.frameOrigins && { frameOrigins: shape.frameOrigins.map((v) => v * k) }),
  }
}

/** A shape as its device wrote it, brought to millimetres with z up. */
export function applyPreset(shape: Shape, { unit, up }: ImportPreset): Shape {
  const sized = unit === 'auto' || unit === 'mm' ? shape : scaled(shape, UNIT_MM[unit])
  if (up === 'z') return sized
  // y up: a quarter turn about x; x up: a quarter turn about y the other way.
  const turn: Motion = up === 'y' ? rotationMotion([1, 0, 0], Math.PI / 2) : rotationMotion([0, 1, 0], -Math.PI / 2)
  const origins = sized.kind === 'cloud' ? sized.frameOrigins : undefined
  const turned = new Float64Array(origins?.length ?? 0)
  for (let i = 0; i < turned.length; i += 3)
    turned.set(transformPoint(turn, origins![i], origins![i + 1], origins![i + 2]), i)
  return {
    ...sized,
    positions: transformPoints(turn, sized.positions),
    ...(sized.normals && { normals: rotateVectors(turn, sized.normals) }),
    ...(sized.originMm && { originMm: transformPoint(turn, ...sized.originMm) }),
    ...(origins && { frameOrigins: turned }),
  }
}
