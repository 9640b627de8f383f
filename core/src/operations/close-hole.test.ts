import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { identityMotion } from '../linear/rigid'
import { cutByPlane } from '../mesh/cut-plane'
import { curveOf, rimsOfMesh } from '../mesh/rims'
import { dropUnusedVertices } from '../mesh/weld'
import type { PointCloud } from '../shapes'
import { ballMesh } from '../testing/altered'
import { closeHole } from './close-hole'
import { runOperation } from './operation'

/** A ball of 20 mm without its cap over 15. */
const bowl = dropUnusedVertices(
  cutByPlane(ballMesh(20, 4), { normal: [0, 0, -1], offsetMm: -15 }, false, quietContext()).mesh,
)
const rim = curveOf(bowl, rimsOfMesh(bowl)[0].vertices)
/** One look from above: the ball's outside, and through its opening a disc at some height. */
function look(floorZ: number): PointCloud {
  const places: number[] = [],
    normals: number[] = []
  for (let x = -24; x <= 24; x += 0.3)
    for (let y = -24; y <= 24; y += 0.3) {
      const r = Math.hypot(x, y)
      if (r >= 19.5) continue
      const z = r < 13 ? floorZ : Math.sqrt(400 - r * r)
      places.push(x, y, z)
      normals.push(...(r < 13 ? [0, 0, 1] : [x / 20, y / 20, z / 20]))
    }
  return {
    kind: 'cloud',
    positions: Float32Array.from(places),
    normals: Float32Array.from(normals),
    frame: new Uint16Array(places.length / 3),
    frameOrigins: Float64Array.of(0, 0, 400),
  }
}
const close = (takes: PointCloud[], params: object = {}) =>
  runOperation(
    closeHole,
    { mesh: bowl, takes, motions: { kind: 'motions', motions: { above: identityMotion() } } },
    { rim, kind: 'membrane', names: takes.map(() => 'above'), ...params },
    quietContext(),
  )

describe('a hole closed as free space allows', () => {
  test('behind what was seen it is closed, and the record says how', async () => {
    const { figures, findings } = await close([look(10)])
    expect(figures).toMatchObject({ closed: true, crossings: 0, freeSpace: true })
    expect(findings.map((f) => f.verdict)).toEqual(['sound'])
    expect(closeHole.describe({ kind: 'membrane' } as never, figures)).toContain('by a membrane that free space allows')
  })
  test('where the take looked through to beyond the far side it is refused in a sentence', async () => {
    await expect(close([look(-60)])).rejects.toThrow('The takes looked through here')
  })
  test('a skin made larger since lies to its takes as before', async () => {
    const twice = { ...bowl, positions: bowl.positions.map((v) => v * 2) }
    const run = (scale: number) =>
      runOperation(
        closeHole,
        { mesh: twice, takes: [look(10)], motions: { kind: 'motions', motions: { above: identityMotion() } } },
        { rim: rim.map((v) => v * 2), kind: 'membrane', names: ['above'], scale },
        quietContext(),
      )
    const { figures } = await run(2)
    expect(figures).toMatchObject({ closed: true, crossings: 0, freeSpace: true })
    expect(Number(figures.volumeMm3) / 8 / Number((await close([look(10)])).figures.volumeMm3)).toBeCloseTo(1, 3)
  })
  test('without takes, or with such as tell of no look, it follows the curvature and is doubtful', async () => {
    const { frameOrigins: _none, ...blind } = look(10)
    for (const takes of [[], [blind]]) {
      const { figures, findings } = await close(takes)
      expect(figures).toMatchObject({ closed: true, freeSpace: false })
      expect(findings.at(-1)).toMatchObject({ id: 'mend.membrane', verdict: 'doubtful' })
    }
  })
})
