import bunny from 'bunny'
import { describe, expect } from 'vitest'
import { nightTest } from '../../testing/night'
import { quietContext } from '../../context'
import { seededRandom } from '../../linear/random'
import {
  compose,
  identityMotion,
  invertRigid,
  rotationAngle,
  rotationMotion,
  transformPoint,
  type Motion,
} from '../../linear/rigid'
import { meanPoint } from '../../linear/mean-point'
import { standardSize, viewsOf } from '../../testing/views'
import { joinAndJudge } from '../takes/join-takes'
import { joinFindings } from '../judge/verdict'

const COUNT = 40

describe('forty takes', () => {
  const views = viewsOf(
    standardSize({
      kind: 'mesh',
      positions: Float32Array.from(bunny.positions.flat()),
      indices: Uint32Array.from(bunny.cells.flat()),
    }),
    5,
    { points: 1500, perPose: COUNT / 2 },
  )
  const random = seededRandom(8)
  const trueTo = (i: number, fixed: number): Motion => compose(invertRigid(views[fixed].truth), views[i].truth)
  const rough = views.map((v, i) => {
    const c = meanPoint(v.cloud.positions)
    const off = compose(
      rotationMotion(
        [random.gaussian(), random.gaussian(), random.gaussian()],
        0.05,
        c.map((x) => x + 0.8 * random.gaussian()),
      ),
      rotationMotion(
        [0, 0, 1],
        0,
        c.map((x) => -x),
      ),
    )
    return i === 0 ? trueTo(0, 0) : compose(trueTo(i, 0), off)
  })
  nightTest('from rough places all come together in one problem, and the whole is judged', async () => {
    const r = await joinAndJudge(
      {
        clouds: views.map((v) => v.cloud),
        groups: views.map((_, i) => i),
        fixedAt: 0,
        toleranceMm: null,
        starts: rough,
      },
      quietContext(),
    )
    expect(r.settled).toBe(true)
    expect(Array.from(r.motions[0]!)).toEqual(Array.from(identityMotion()))
    for (let i = 1; i < COUNT; i++) {
      const off = compose(invertRigid(trueTo(i, 0)), r.motions[i]!)
      const c = meanPoint(views[i].cloud.positions),
        at = transformPoint(off, ...c)
      expect((rotationAngle(off) * 180) / Math.PI).toBeLessThan(0.12)
      expect(Math.hypot(...at.map((v, k) => v - c[k]))).toBeLessThan(0.06)
    }
    // One tree over all, and of the very many pairs none that pulls or contradicts.
    expect(r.tree).toHaveLength(COUNT - 1)
    expect(r.pairs.length).toBeGreaterThan(10 * COUNT)
    const findings = joinFindings(
      r,
      views.map((_, i) => `view ${i + 1}`),
    )
    expect(findings.filter((f) => f.verdict !== 'sound')).toEqual([])
  })
})
