import { Matrix4, Quaternion, Ray, Triangle, Vector3 } from 'three'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { compareShapes } from '../measure/compare'
import { massProperties } from '../mesh/health'
import { boxPoints, icosahedron, torus } from '../testing/solids'
import { TriangleBvh } from '../spatial/triangle-bvh'
import { seededRandom } from './random'
import { compose, invertRigid, rotationAngle, rotationMotion, transformPoint, type Motion } from './rigid'

// three.js as an independent reference for motions, closest points and areas.
const random = seededRandom(77)
const draw = (): { axis: number[]; angle: number; shift: number[] } => ({
  axis: [random.gaussian(), random.gaussian(), random.gaussian()],
  angle: (random.next() - 0.5) * 6,
  shift: [random.gaussian() * 30, random.gaussian() * 30, random.gaussian() * 30],
})
const threeOf = ({ axis, angle, shift }: ReturnType<typeof draw>): Matrix4 =>
  new Matrix4().compose(
    new Vector3(...shift),
    new Quaternion().setFromAxisAngle(new Vector3(...axis).normalize(), angle),
    new Vector3(1, 1, 1),
  )
const oursOf = ({ axis, angle, shift }: ReturnType<typeof draw>): Motion => rotationMotion(axis, angle, shift)
/** three.js keeps its elements by column. */
const rowsOf = (m: Matrix4): number[] => m.clone().transpose().elements

describe('motions against three.js', () => {
  test('rotation about an axis, composition, inverse', () => {
    for (let i = 0; i < 50; i++) {
      const a = draw(),
        b = draw()
      rowsOf(threeOf(a)).forEach((v, k) => expect(oursOf(a)[k]).toBeCloseTo(v, 10))
      rowsOf(threeOf(a).multiply(threeOf(b))).forEach((v, k) =>
        expect(compose(oursOf(a), oursOf(b))[k]).toBeCloseTo(v, 9),
      )
      rowsOf(threeOf(a).invert()).forEach((v, k) => expect(invertRigid(oursOf(a))[k]).toBeCloseTo(v, 9))
    }
  })
  test('points, and the angle of a motion', () => {
    for (let i = 0; i < 50; i++) {
      const a = draw()
      const p = [random.gaussian() * 9, random.gaussian() * 9, random.gaussian() * 9] as const
      const q = new Vector3(...p).applyMatrix4(threeOf(a))
      transformPoint(oursOf(a), ...p).forEach((v, c) => expect(v).toBeCloseTo(q.getComponent(c), 9))
      const turn = new Quaternion().setFromRotationMatrix(threeOf(a)).angleTo(new Quaternion())
      expect(rotationAngle(oursOf(a))).toBeCloseTo(turn, 6)
    }
  })
})

describe('closest points and areas against three.js', () => {
  const mesh = torus(20, 6, 24, 16)
  const at = (v: number): Vector3 =>
    new Vector3(mesh.positions[v * 3], mesh.positions[v * 3 + 1], mesh.positions[v * 3 + 2])
  const faces = Array.from(
    { length: mesh.indices.length / 3 },
    (_, f) => new Triangle(at(mesh.indices[f * 3]), at(mesh.indices[f * 3 + 1]), at(mesh.indices[f * 3 + 2])),
  )
  test('the nearest point of the surface', () => {
    const bvh = new TriangleBvh(mesh)
    const queries = boxPoints(120, [70, 70, 40], 31)
    const on = new Vector3()
    for (let i = 0; i < queries.length; i += 3) {
      const q = new Vector3(queries[i], queries[i + 1], queries[i + 2])
      const nearest = Math.min(...faces.map((t) => t.closestPointToPoint(q, on).distanceTo(q)))
      bvh.closest(q.x, q.y, q.z)
      expect(Math.sqrt(bvh.result.distance2)).toBeCloseTo(nearest, 5)
    }
  })
  test('where a ray first meets the surface, along walls of boxes and axes too', () => {
    const bvh = new TriangleBvh(mesh)
    const on = new Vector3()
    let met = 0
    for (let i = 0; i < 400; i++) {
      const from = [random.gaussian() * 15, random.gaussian() * 15, random.gaussian() * 15],
        way = new Vector3(random.gaussian(), random.gaussian(), random.gaussian())
      // Straight down the grid lines of the torus: through corners, along boxes.
      if (i % 4 === 0) way.set(0, 0, i % 8 === 0 ? 1 : -1)
      if (i % 8 === 0) from.splice(0, 2, 20, 0)
      way.normalize()
      const ray = new Ray(new Vector3(from[0], from[1], from[2]), way)
      const nearest = Math.min(
        ...faces.map((t) => ray.intersectTriangle(t.a, t.b, t.c, false, on)?.distanceTo(ray.origin) ?? Infinity),
      )
      const { face, distanceMm } = bvh.firstHit(from, way.toArray())
      if (nearest === Infinity) expect(distanceMm).toBe(Infinity)
      else {
        met++
        expect(distanceMm).toBeCloseTo(nearest, 4)
        expect(
          faces[face]
            .closestPointToPoint(ray.at(distanceMm, new Vector3()), on)
            .distanceTo(ray.at(distanceMm, new Vector3())),
        ).toBeLessThan(1e-4)
      }
    }
    expect(met).toBeGreaterThan(100)
    expect(met).toBeLessThan(400)
  })
  test('area', () =>
    expect(massProperties(mesh).areaMm2).toBeCloseTo(
      faces.reduce((s, t) => s + t.getArea(), 0),
      3,
    ))
  test('unsigned distances of a whole shape', () => {
    const shape = { ...icosahedron(), positions: icosahedron().positions.map((v) => v * 12) }
    const d = compareShapes(shape, mesh, quietContext())
    const on = new Vector3()
    for (let v = 0; v < 12; v++) {
      const q = new Vector3(shape.positions[v * 3], shape.positions[v * 3 + 1], shape.positions[v * 3 + 2])
      expect(Math.abs(d.distanceMm[v])).toBeCloseTo(
        Math.min(...faces.map((t) => t.closestPointToPoint(q, on).distanceTo(q))),
        4,
      )
    }
  })
})
