import { expect, test } from 'vitest'
import { compose, rotationMotion, shiftMotion } from '../linear/rigid'
import { project, type Camera } from '../view/camera'
import { cameraRows, RowCamera } from './camera-rows'

const LENS: Camera['distortion'] = [-0.12, 0.03, 0.0015, -0.0008, 0.01]
const camera = (distortion: Camera['distortion']): Camera => ({
  widthPx: 4000,
  heightPx: 3000,
  focalPx: 3380,
  principalPx: [2010, 1490],
  distortion,
  motion: compose(shiftMotion(10, -5, 300), rotationMotion([0.3, 1, -0.2], 0.7)),
})

test('as numbers for threads it projects alike, and never folds what lies far outside back into the picture', () => {
  const row = new RowCamera(cameraRows([camera([0, 0, 0, 0, 0]), camera(LENS)], false), 1)
  const out = new Float64Array(3)
  project(camera(LENS), 12, 7, -4, out)
  row.project(12, 7, -4)
  expect([row.u, row.v, row.depth]).toEqual([out[0], out[1], out[2]])
  const folding = new RowCamera(cameraRows([{ ...camera([-0.4, 0, 0, 0, 0]), motion: shiftMotion(0, 0, 0) }], false), 0)
  folding.project(160, 0, 100)
  expect(folding.u).toBeLessThan(0)
})
