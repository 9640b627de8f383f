import bunny from 'bunny'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { compose, invertRigid, rotationAngle, rotationMotion, transformPoint, type Motion } from '../linear/rigid'
import { meanPoint } from '../linear/mean-point'
import { standardSize, viewsOf } from '../testing/views'
import { joinAndJudge } from './join-takes'

const COUNT = 40

describe('forty takes', () => {
  const views = viewsOf(standardSize({ kind: 'mesh', positions: Float32Array.from(bunny.positions.flat()), indices: Uint32Array.from(bunny.cells.flat()) }), 5, { points: 2200, perPose: COUNT / 2 })
  const random = seededRandom(8)
  const trueTo = (i: number, fixed: number): Motion => compose(invertRigid(views[fixed]!.truth), views[i]!.truth)
  const rough = views.map((v, i) => {
    const c = meanPoint(v.cloud.positions)
    const off = compose(rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 0.05, c.map((x) => x + 0.8 * random.gaussian())), rotationMotion([0, 0, 1], 0, c.map((x) => -x)))
    return i === 0 ? trueTo(0, 0) : compose(trueTo(i, 0), off)
  })
  test('from rough places all come together, and which of them stays makes no difference', async () => {
    const t = performance.now()
    const r = await joinAndJudge({ clouds: views.map((v) => v.cloud), groups: views.map((_, i) => i), fixedAt: 0, toleranceMm: null, starts: rough }, quietContext())
    console.log(performance.now() - t, r.pairs.length, r.rounds, r.settled, r.alternatives.length)
    let worstDeg = 0, worstMm = 0
    for (let i = 1; i < COUNT; i++) {
      const d = compose(invertRigid(trueTo(i, 0)), r.motions[i]!)
      const c = meanPoint(views[i]!.cloud.positions), at = transformPoint(d, ...c)
      worstDeg = Math.max(worstDeg, (rotationAngle(d) * 180) / Math.PI)
      worstMm = Math.max(worstMm, Math.hypot(...at.map((v, k) => v - c[k]!)))
    }
    console.log(worstDeg, worstMm)
    expect(worstDeg).toBeLessThan(0.1)
  })
})
