import { describe, expect, test } from 'vitest'
import { compose, rotationMotion, shiftMotion } from '../linear/rigid'
import { atWidth, distort, eyeOf, project, STRAIGHT, undistort, type Camera } from './camera'

const LENS: Camera['distortion'] = [-0.12, 0.03, 0.0015, -0.0008, 0.01]
const camera = (distortion: Camera['distortion']): Camera => ({
  widthPx: 4000,
  heightPx: 3000,
  focalPx: 3380,
  principalPx: [2010, 1490],
  distortion,
  motion: compose(shiftMotion(10, -5, 300), rotationMotion([0.3, 1, -0.2], 0.7)),
})

describe('a camera with a lens', () => {
  test('a pinhole by hand: a point 300 ahead and 30 aside lies a tenth of the focal length from the middle', () => {
    const plain = { ...camera(STRAIGHT), motion: shiftMotion(0, 0, 0) }
    const out = new Float64Array(3)
    project(plain, 30, -15, 300, out)
    expect(Array.from(out)).toEqual([2010 + 338, 1490 - 169, 300])
  })
  test('Brown 1971 by hand for k1 alone: r grows by k1·r³', () => {
    const out = new Float64Array(2)
    distort([-0.1, 0, 0, 0, 0], 0.3, 0.4, out)
    expect(out[0]).toBeCloseTo(0.3 * (1 - 0.1 * 0.25), 12)
    expect(out[1]).toBeCloseTo(0.4 * (1 - 0.1 * 0.25), 12)
  })
  test('bent and straightened is where it was, to a millionth of a pixel, over the whole picture', () => {
    const out = new Float64Array(2)
    for (let x = -0.6; x <= 0.6; x += 0.1)
      for (let y = -0.45; y <= 0.45; y += 0.09) {
        distort(LENS, x, y, out)
        undistort(LENS, out[0], out[1], out)
        expect(Math.hypot(out[0] - x, out[1] - y) * 3380).toBeLessThan(1e-6)
      }
  })
  test('where it stands is what it takes to its own zero; nothing behind it is seen', () => {
    const c = camera(LENS)
    const [x, y, z] = eyeOf(c)
    const m = c.motion
    for (let r = 0; r < 12; r += 4) expect(m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]).toBeCloseTo(0, 9)
    const out = Float64Array.of(7, 7, 7)
    project(c, x - m[8], y - m[9], z - m[10], out)
    expect(Array.from(out.subarray(0, 2))).toEqual([7, 7])
    expect(out[2]).toBeCloseTo(-1, 9)
  })
  test('half as wide, everything lies half as far', () => {
    const [a, b] = [new Float64Array(3), new Float64Array(3)]
    project(camera(LENS), 12, 7, -4, a)
    project(atWidth(camera(LENS), 2000), 12, 7, -4, b)
    expect([b[0] * 2, b[1] * 2, b[2]]).toEqual([a[0], a[1], a[2]].map((v) => expect.closeTo(v, 9)))
  })
})
