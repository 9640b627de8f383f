import { describe, expect, test } from 'vitest'
import type { PointCloud } from '../shapes'
import { applyPreset, PLAIN_PRESET, presetSchema, saysItsUnit } from './preset'

const cloud: PointCloud = {
  kind: 'cloud',
  positions: Float32Array.of(1, 2, 3),
  normals: Float32Array.of(0, 1, 0),
  frame: Uint16Array.of(0),
  frameOrigins: Float64Array.of(0, 5, 0),
  originMm: [10, 20, 30],
}
const rounded = (v: ArrayLike<number>): number[] => Array.from(v, (x) => Math.round(x * 1e5) / 1e5 + 0)

describe('how a device writes its files', () => {
  test('units: an inch is 25.4 mm exactly (international inch, 1959), a metre a thousand; all that belongs to the points goes along', () => {
    const inches = applyPreset(cloud, { unit: 'in', up: 'z' }) as PointCloud
    expect(rounded(inches.positions)).toEqual([25.4, 50.8, 76.2])
    expect(rounded(inches.frameOrigins!)).toEqual([0, 127, 0])
    expect(rounded(inches.originMm!)).toEqual([254, 508, 762])
    expect(rounded(inches.normals!)).toEqual([0, 1, 0])
    expect(rounded(applyPreset(cloud, { unit: 'm', up: 'z' }).positions)).toEqual([1000, 2000, 3000])
    expect(applyPreset(cloud, PLAIN_PRESET)).toBe(cloud)
  })
  test('y up and x up are turned to z up, without mirroring', () => {
    const y = applyPreset(cloud, { unit: 'auto', up: 'y' }) as PointCloud
    expect(rounded(y.positions)).toEqual([1, -3, 2])
    expect(rounded(y.normals!)).toEqual([0, 0, 1])
    expect(rounded(y.frameOrigins!)).toEqual([0, 0, 5])
    expect(rounded(y.originMm!)).toEqual([10, -30, 20])
    const x = applyPreset(
      { kind: 'cloud', positions: Float32Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1) },
      { unit: 'mm', up: 'x' },
    ).positions
    const [a, b, c] = [0, 3, 6].map((i) => rounded(x.subarray(i, i + 3))) as [number[], number[], number[]]
    expect(a).toEqual([0, 0, 1])
    expect(
      a[0] * (b[1] * c[2] - b[2] * c[1]) - a[1] * (b[0] * c[2] - b[2] * c[0]) + a[2] * (b[0] * c[1] - b[1] * c[0]),
    ).toBe(1)
  })
  test('formats that say their unit are known, and nonsense is no preset', () => {
    expect(['a.GLB', 'b.gltf', 'c.3mf'].every(saysItsUnit)).toBe(true)
    expect(['a.ply', 'b.stl', 'glb.obj'].some(saysItsUnit)).toBe(false)
    expect(presetSchema.validate({ unit: 'ell', up: 'z' }).error).toBeDefined()
    expect(presetSchema.validate({ unit: 'cm', up: 'y' }).error).toBeUndefined()
  })
})
