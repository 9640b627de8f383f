import bunny from 'bunny'
import { describe, expect, test } from 'vitest'
import { invertRigid, compose, rotateVectors, transformPoints } from '../linear/rigid'
import { meanPoint } from '../linear/mean-point'
import { cloudOfMesh } from '../mesh/normals'
import { spherePoints, torus } from '../testing/solids'
import { SPOILS } from '../testing/spoiled-view'
import { standardSize, viewsOf } from '../testing/views'
import { guessLook } from './guess-look'

/* Views of an open scan (Stanford bunny) by camera and projector, anywhere, and what is no single look. */

const mesh = standardSize({
  kind: 'mesh',
  positions: Float32Array.from(bunny.positions.flat()),
  indices: Uint32Array.from(bunny.cells.flat()),
})
const views = viewsOf(mesh, 3, { points: 9000, perPose: 8, spoils: SPOILS })
const degrees = (a: readonly number[], b: readonly number[]): number =>
  (Math.acos(a.reduce((s, v, c) => s + v * b[c], 0) / Math.hypot(...a) / Math.hypot(...b)) * 180) / Math.PI

describe('from where a single look was taken, by its normals', () => {
  test('is told to some degrees, of views with holes, outliers and noisy normals that lie anywhere', () => {
    const off = views.map(({ cloud }) => {
      const eye = guessLook(cloud.positions, cloud.normals!)!
      const middle = meanPoint(cloud.positions)
      return degrees(
        eye.map((v, c) => v - middle[c]),
        Array.from(cloud.frameOrigins!, (v, c) => v - middle[c]),
      )
    })
    expect(Math.max(...off)).toBeLessThan(15)
    expect(off.reduce((s, v) => s + v, 0) / off.length).toBeLessThan(9)
  })
  test('of a flat plate is straight above it', () => {
    const positions = Float32Array.from({ length: 3 * 2500 }, (_, i) =>
      i % 3 === 2 ? 7 : i % 3 === 0 ? Math.floor(i / 3) % 50 : Math.floor(i / 150),
    )
    const normals = Float32Array.from(positions, (_, i) => (i % 3 === 2 ? -1 : 0))
    const eye = guessLook(positions, normals)!
    expect(eye[2]).toBeLessThan(-100)
    expect(degrees([eye[0] - 24.5, eye[1] - 24.5, eye[2] - 7], [0, 0, -1])).toBeLessThan(1e-3)
  })
})

describe('is not guessed', () => {
  test('where normals face every way', () => {
    const ring = cloudOfMesh(torus(30, 9, 80, 50))
    expect(guessLook(ring.positions, ring.normals!)).toBeNull()
    const ball = spherePoints(1, 4000).positions
    expect(guessLook(ball, ball)).toBeNull()
  })
  test('where no one look can have seen both: another view behind the first', () => {
    const [first, , second] = views
    const toFirst = compose(invertRigid(first.truth), second.truth)
    const both = Float32Array.from([...first.cloud.positions, ...transformPoints(toFirst, second.cloud.positions)])
    const normals = Float32Array.from([...first.cloud.normals!, ...rotateVectors(toFirst, second.cloud.normals!)])
    expect(guessLook(both, normals)).toBeNull()
  })
  test('where nothing is said of the way it faces', () => {
    expect(guessLook(views[0].cloud.positions, new Float32Array(0))).toBeNull()
  })
})
