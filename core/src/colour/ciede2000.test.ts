import { describe, expect, test } from 'vitest'
import { ciede2000, labOfBytes } from './ciede2000'
import { byteOf, LIGHT_OF, toLight, toWritten } from './srgb'

/**
 * Sharma, Wu and Dalal 2005, "The CIEDE2000 color-difference formula: implementation notes, supplementary test data, and
 * mathematical observations", table 1; written down from memory.
 */
const PAIRS = `
50 2.6772 -79.7751 50 0 -82.7485 2.0425
50 3.1571 -77.2803 50 0 -82.7485 2.8615
50 2.8361 -74.02 50 0 -82.7485 3.4412
50 -1.3802 -84.2814 50 0 -82.7485 1
50 -1.1848 -84.8006 50 0 -82.7485 1
50 -0.9009 -85.5211 50 0 -82.7485 1
50 0 0 50 -1 2 2.3669
50 -1 2 50 0 0 2.3669
50 2.49 -0.001 50 -2.49 0.0009 7.1792
50 2.49 -0.001 50 -2.49 0.001 7.1792
50 2.49 -0.001 50 -2.49 0.0011 7.2195
50 2.49 -0.001 50 -2.49 0.0012 7.2195
50 -0.001 2.49 50 0.0009 -2.49 4.8045
50 -0.001 2.49 50 0.001 -2.49 4.8045
50 -0.001 2.49 50 0.0011 -2.49 4.7461
50 2.5 0 50 0 -2.5 4.3065
50 2.5 0 73 25 -18 27.1492
50 2.5 0 61 -5 29 22.8977
50 2.5 0 56 -27 -3 31.9030
50 2.5 0 58 24 15 19.4535
50 2.5 0 50 3.1736 0.5854 1
50 2.5 0 50 3.2972 0 1
50 2.5 0 50 1.8634 0.5757 1
50 2.5 0 50 3.2592 0.335 1
60.2574 -34.0099 36.2677 60.4626 -34.1751 39.4387 1.2644
63.0109 -31.0961 -5.8663 62.8187 -29.7946 -4.0864 1.2630
61.2901 3.7196 -5.3901 61.4292 2.248 -4.962 1.8731
35.0831 -44.1164 3.7933 35.0232 -40.0716 1.5901 1.8645
22.7233 20.0904 -46.694 23.0331 14.973 -42.5619 2.0373
36.4612 47.858 18.3852 36.2715 50.5065 21.2231 1.4146
90.8027 -2.0831 1.441 91.1528 -1.6435 0.0447 1.4441
90.9257 -0.5406 -0.9208 88.6381 -0.8985 -0.7239 1.5381
6.7747 -0.2908 -2.4247 5.8714 -0.0985 -2.2286 0.6377
2.0776 0.0795 -1.135 0.9033 -0.0636 -0.5514 0.9082
`
  .trim()
  .split('\n')
  .map((line) => line.split(' ').map(Number))

describe('CIEDE2000', () => {
  test('the 34 published pairs, to the last digit given, both ways round', () => {
    expect(PAIRS).toHaveLength(34)
    for (const p of PAIRS) {
      const [a, b] = [p.slice(0, 3), p.slice(3, 6)]
      expect([p, ciede2000(a, b).toFixed(4)]).toEqual([p, p[6].toFixed(4)])
      expect(ciede2000(b, a)).toBeCloseTo(ciede2000(a, b), 10)
    }
  })
  test('white, black and the primaries of sRGB in CIELAB under D65 (Lindbloom, from memory)', () => {
    const out = new Float64Array(3)
    const lab = (r: number, g: number, b: number): number[] => {
      labOfBytes(r, g, b, out)
      return Array.from(out, (v) => Math.round(v * 100) / 100 + 0)
    }
    expect(lab(255, 255, 255)).toEqual([100, 0, 0])
    expect(lab(0, 0, 0)).toEqual([0, 0, 0])
    expect(lab(255, 0, 0)).toEqual([53.24, 80.09, 67.2])
    expect(lab(0, 255, 0)).toEqual([87.73, -86.18, 83.18])
    expect(lab(0, 0, 255)).toEqual([32.3, 79.19, -107.86])
  })
})

describe('sRGB (IEC 61966-2-1)', () => {
  test('the ends, the join of the two parts and a middle value', () => {
    expect([toLight(0), toLight(1)]).toEqual([0, 1])
    expect(toLight(0.04045)).toBeCloseTo(0.0031308, 7)
    expect(toLight(0.5)).toBeCloseTo(0.21404114, 8)
    expect(toWritten(0.0031308)).toBeCloseTo(0.04045, 6)
    expect(toWritten(0.18)).toBeCloseTo(0.46135613, 7)
  })
  test('there and back again is the same byte, for all of them', () => {
    for (let v = 0; v < 256; v++) {
      expect(Math.round(255 * toWritten(LIGHT_OF[v]))).toBe(v)
      expect(byteOf(LIGHT_OF[v])).toBe(v)
    }
    expect([byteOf(-1), byteOf(2)]).toEqual([0, 255])
  })
})
