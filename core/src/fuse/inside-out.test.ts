import { describe, expect, test } from 'vitest'
import {
  identityMotion,
  rotationMotion,
  shiftMotion,
  invertRigid,
  transformPoints,
  rotateVectors,
} from '../linear/rigid'
import { pickPoints, type PointCloud } from '../shapes'
import { angleBeam, scanOf, spherePoints } from '../testing/solids'
import { insideOut } from './inside-out'

const turned = (cloud: PointCloud): PointCloud => ({ ...cloud, normals: cloud.normals!.map((v) => -v) })
const part = (cloud: PointCloud, keeps: (x: number, z: number) => boolean): PointCloud =>
  pickPoints(
    cloud,
    Array.from({ length: cloud.positions.length / 3 }, (_, i) => i).filter((i) =>
      keeps(cloud.positions[i * 3], cloud.positions[i * 3 + 2]),
    ),
  )
const laid = (clouds: readonly PointCloud[]) => clouds.map((cloud) => ({ cloud, motion: identityMotion() }))

describe('takes that face into the piece', () => {
  const ball = spherePoints(20, 30_000, 0.03)
  const [left, right, top] = [part(ball, (x) => x < 8), part(ball, (x) => x > -8), part(ball, (_, z) => z > 0)]
  test('are named among others, whichever it is', () => {
    expect(insideOut(laid([left, right, top]))).toEqual([])
    expect(insideOut(laid([turned(left), right, top]))).toEqual([0])
    expect(insideOut(laid([left, right, turned(top)]))).toEqual([2])
    expect(insideOut(laid([left, turned(right)]))).toEqual([1])
  })
  test('wherever the takes lie in their own files', () => {
    const motion = rotationMotion([1, 2, 3], 1.1, [50, -20, 7])
    const away = {
      ...turned(right),
      positions: transformPoints(invertRigid(motion), right.positions),
      normals: rotateVectors(invertRigid(motion), turned(right).normals!),
    }
    expect(insideOut([...laid([left]), { cloud: away, motion }])).toEqual([1])
  })
  test('all of them, where they agree and reach all round', () => {
    expect(insideOut(laid([ball]))).toEqual([])
    expect(insideOut(laid([turned(ball)]))).toEqual([0])
    expect(insideOut(laid([turned(left), turned(right)]))).toEqual([0, 1])
    const beam = scanOf(angleBeam(20, 8, 24), 20_000, 0.03)
    expect(insideOut(laid([beam]))).toEqual([])
    expect(insideOut(laid([turned(beam)]))).toEqual([0])
  })
  test('a bowl seen from within is not named, nor takes that share nothing', () => {
    expect(insideOut(laid([part(turned(ball), (_, z) => z < 4)]))).toEqual([])
    expect(insideOut(laid([part(turned(ball), (_, z) => z < -8)]))).toEqual([])
    const far = { cloud: turned(ball), motion: shiftMotion(100, 0, 0) }
    expect(insideOut([...laid([ball]), far])).toEqual([])
  })
  test('a piece that bends inwards does not mislead', () => {
    const beam = scanOf(angleBeam(20, 8, 24), 20_000, 0.03)
    const halves = [part(beam, (_, z) => z < 16), part(beam, (_, z) => z > 8)]
    expect(insideOut(laid(halves))).toEqual([])
    expect(insideOut(laid([halves[0], turned(halves[1])]))).toEqual([1])
  })
})
