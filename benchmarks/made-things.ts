/**
 * Two takes of nearly symmetric made things, without a word of where they were taken from: how often the right pose is
 * found, and what is called sound. First argument: seeds a shape; second: the first seed; third: part of a shape's name.
 *   npx tsx benchmarks/made-things.ts 4 1
 */
import { quietContext } from '@holosoma/core'
import { joinAndJudge } from '../core/src/align/takes/join-takes'
import { joinFindings } from '../core/src/align/judge/verdict'
import { worst, type Verdict } from '../core/src/findings'
import { isGeometryError } from '../core/src/errors'
import { compose, invertRigid, rotationAngle, transformPoint } from '../core/src/linear/rigid'
import { MADE_THINGS, seenTwice } from '../core/src/testing/made-things'

const [seeds = 3, from = 1] = process.argv.slice(2, 4).map(Number)
const only = process.argv[4] ?? ''
const tally = { cases: 0, right: 0, rightSound: 0, wrongSound: 0, seconds: 0 }
const POSES = [
  { elevationDeg: 35, tiltDeg: 90 },
  { elevationDeg: 30, tiltDeg: 60 },
  { elevationDeg: 20, tiltDeg: 120 },
  { elevationDeg: 30, tiltDeg: 180 },
]
for (const thing of MADE_THINGS.filter((t) => t.name.includes(only)))
  for (let s = from; s < from + seeds; s++) {
    const pose = POSES[s % POSES.length]
    const { takes, truth, shared, markSeen, sizeMm } = seenTwice(
      thing,
      { points: 9000, ...pose, noiseMm: 0.03, seed: s },
      quietContext(s),
    )
    if (shared < 0.3 || markSeen < 0.3) continue
    const began = performance.now()
    let told: Verdict | 'refused' = 'refused',
      right = false,
      why: string
    try {
      const report = await joinAndJudge(
        { clouds: takes, starts: [null, null], groups: [0, 1], fixedAt: 1, toleranceMm: null },
        quietContext(1),
      )
      const found = report.motions[0]!
      const off = compose(invertRigid(truth), found)
      const centre = transformPoint(off, ...middle(takes[0].positions)).map((v, c) => v - middle(takes[0].positions)[c])
      const turn = (rotationAngle(off) * 180) / Math.PI
      right = turn < 1 && Math.hypot(...centre) < 0.01 * sizeMm
      const findings = joinFindings(report, ['a', 'b'])
      told = worst(findings)
      why = `${turn.toFixed(1)}° off; ${findings
        .filter((f) => f.verdict !== 'sound')
        .map((f) => f.text.slice(0, 110))
        .join(' | ')}`
    } catch (error) {
      if (!isGeometryError(error)) throw error
      why = error.message
    }
    const took = (performance.now() - began) / 1000
    tally.cases++
    tally.seconds += took
    if (right) tally.right++
    if (right && told === 'sound') tally.rightSound++
    if (!right && told === 'sound') tally.wrongSound++
    process.stdout.write(
      `${thing.name} ${s} (${Math.round(100 * shared)} % shared): ${right ? 'right' : 'WRONG'}, ${told}, ` +
        `${took.toFixed(1)} s, ${why}\n`,
    )
  }
process.stdout.write(`${JSON.stringify(tally)}\n`)

function middle(p: Float32Array): [number, number, number] {
  const m: [number, number, number] = [0, 0, 0]
  for (let i = 0; i < p.length; i++) m[i % 3] += p[i] / (p.length / 3)
  return m
}
