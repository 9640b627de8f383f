import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { identityMotion } from '../linear/rigid'
import { cutByPlane } from '../mesh/cut-plane'
import { checkHealth } from '../mesh/health'
import { dropUnusedVertices } from '../mesh/weld'
import type { PointCloud, TriangleMesh } from '../shapes'
import { ballMesh } from '../testing/altered'
import { freeSpaceOf } from '../view/free-space'
import { fillHoles } from './fill-holes'

const ball = ballMesh(20, 5)
/** The ball without its cap above a height. */
const open = (height: number): TriangleMesh =>
  dropUnusedVertices(cutByPlane(ball, { normal: [0, 0, -1], offsetMm: -height }, false, quietContext()).mesh)
const close = (mesh: TriangleMesh, inFree: ReturnType<typeof freeSpaceOf>) =>
  fillHoles(mesh, { perimeterMm: Infinity, kind: 'membrane', inFree }, quietContext())
/** A look from above that saw the ball's outside and, through its opening, a disc at some depth. */
const look = (floorZ: number): PointCloud => {
  const places: number[] = []
  for (let x = -24; x <= 24; x += 0.25)
    for (let y = -24; y <= 24; y += 0.25) {
      const r = Math.hypot(x, y)
      if (r < 13) places.push(x, y, floorZ)
      else if (r < 19.5) places.push(x, y, Math.sqrt(400 - r * r))
    }
  return {
    kind: 'cloud',
    positions: Float32Array.from(places),
    frame: new Uint16Array(places.length / 3),
    frameOrigins: Float64Array.of(0, 0, 400),
  }
}
const free = (cloud: PointCloud) => freeSpaceOf([{ cloud, motion: identityMotion() }], 0.6)
const highest = ({ positions: p }: TriangleMesh): number => {
  let z = -Infinity
  for (let v = 2; v < p.length; v += 3) z = Math.max(z, p[v])
  return z
}

describe('a membrane that free space allows', () => {
  test('of nothing seen it goes on as the ball does; seen through to a depth, it hangs no higher than that', () => {
    const plain = close(open(15), null)
    expect(highest(plain.mesh)).toBeGreaterThan(17)
    const { mesh, refused } = close(open(15), free(look(10)))
    expect(refused).toEqual([])
    expect(checkHealth(mesh, quietContext())).toMatchObject({ closed: true, crossings: 0, genus: 0 })
    // Two pixels over the disc it may hang; at its middle it stands no higher.
    let middle = -Infinity
    for (let v = 0; v < mesh.positions.length; v += 3)
      if (Math.hypot(mesh.positions[v], mesh.positions[v + 1]) < 8 && mesh.positions[v + 2] > 0)
        middle = Math.max(middle, mesh.positions[v + 2])
    expect(middle).toBeLessThan(10 + 1.2 + 0.1)
    expect(middle).toBeGreaterThan(9.5)
  })
  test('seen through to beyond the far side no membrane is allowed, and the hole stays open', () => {
    const { refused, closedHoles } = close(open(15), free(look(-60)))
    expect([refused.length, closedHoles]).toEqual([1, 0])
  })
  test('takes without origins tell nothing of free space', () => {
    const { frameOrigins: _none, ...cloud } = look(10)
    expect(free(cloud)).toBeNull()
  })
})
