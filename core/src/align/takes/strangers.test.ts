import bunny from 'bunny'
import { expect, test } from 'vitest'
import { quietContext } from '../../context'
import { seededRandom } from '../../linear/random'
import { compose, invertRigid, rotationAngle } from '../../linear/rigid'
import type { PointCloud } from '../../shapes'
import { standardSize, viewsOf } from '../../testing/views'
import { joinFindings } from '../judge/verdict'
import { joinAndJudge } from './join-takes'

/* Views of an open scan (Stanford bunny), and takes of things that are none of it. */

const views = viewsOf(
  standardSize({
    kind: 'mesh',
    positions: Float32Array.from(bunny.positions.flat()),
    indices: Uint32Array.from(bunny.cells.flat()),
  }),
  5,
  { points: 3000, perPose: 3 },
)

/** Thin spikes out of one point: no stretch of it is like the bunny’s surface. */
function hedgehog(seed: number): PointCloud {
  const random = seededRandom(seed)
  const positions: number[] = []
  for (let spike = 0; spike < 40; spike++) {
    const d = [random.gaussian(), random.gaussian(), random.gaussian()]
    const l = Math.hypot(...d)
    for (let at = 4; at < 60; at += 1.5) positions.push(...d.map((v) => (v / l) * at))
  }
  return { kind: 'cloud', positions: Float32Array.from(positions) }
}

test('takes of something else find no place, and do not speak against the join of the rest', async () => {
  const members = views.slice(0, 6)
  const clouds = [
    ...members.slice(0, 2).map((v) => v.cloud),
    hedgehog(3),
    ...members.slice(2).map((v) => v.cloud),
    hedgehog(8),
  ]
  const of = [0, 1, -1, 2, 3, 4, 5, -1]
  const r = await joinAndJudge(
    { clouds, groups: clouds.map((_, i) => i), fixedAt: 0, toleranceMm: null, starts: clouds.map(() => null) },
    quietContext(),
  )
  expect(r.motions.map((m) => m !== null)).toEqual(of.map((v) => v >= 0))
  of.forEach((v, i) => {
    if (v < 0) return
    const truth = compose(invertRigid(members[0].truth), members[v].truth)
    expect((rotationAngle(compose(invertRigid(truth), r.motions[i]!)) * 180) / Math.PI).toBeLessThan(1)
  })
  const findings = joinFindings(
    r,
    clouds.map((_, i) => `take ${i}`),
  )
  expect(findings.filter((f) => f.verdict === 'unsound').map((f) => f.id)).toEqual(['join.lost'])
  expect(findings.find((f) => f.id === 'join.lost')!.text).toContain('“take 2” and “take 7” found no place')
})

test('of two takes that have nothing in common nothing is said of who the stranger is: the join is refused or not trusted', async () => {
  const clouds = [views[0].cloud, hedgehog(3)]
  const verdicts = await joinAndJudge(
    { clouds, groups: [0, 1], fixedAt: 0, toleranceMm: null, starts: [null, null] },
    quietContext(),
  ).then(
    (r) => joinFindings(r, ['a', 'b']).map((f) => f.verdict),
    (e: { code: string }) => [e.code],
  )
  expect(verdicts.some((v) => v === 'unsound' || v === 'NO_OVERLAP')).toBe(true)
})
