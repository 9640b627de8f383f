import { describe, expect, test } from 'vitest'
import { nightTest } from '../../testing/night'
import { captureTake, TABLETOP_DEVICE } from '../../bench/capture'
import type { DotPlace } from '../../bench/dots'
import { NET_BOBBIN } from '../../bench/pieces'
import { quietContext } from '../../context'
import { worst } from '../../findings'
import { compose, invertRigid, transformPoint, type Motion } from '../../linear/rigid'
import { joinTakes } from '../../operations/join'
import type { Motions } from '../../operations/artefacts'
import { runOperation } from '../../operations/operation'
import { NEW_TAKE } from '../../plan/takes'
import { pickPoints } from '../../shapes'
import { judgeJoin } from '../../testing/join-cases'
import { verdictFrom } from './evidence'
import { joinFindings } from './verdict'

// Takes at the simulated bench, whose truth stands beside them. Larger samples: benchmarks/verdicts.ts.
describe('joins of the bench, judged against the truth', () => {
  test('matched from a rough start and by shape alone: right, and called sound', async () => {
    for (const kind of ['matched', 'byShape'] as const) {
      const r = await judgeJoin('lamp', kind, 1)
      expect(r.errorMm).toBeLessThan(0.1 * r.toleranceMm)
      expect([r.verdict, r.reasons]).toEqual(['sound', []])
    }
  })
  test('turned and matched there, or slid by a few tolerances: called unsound, with the reason', async () => {
    const turned = await judgeJoin('lamp', 'turned', 1)
    expect(turned.errorMm).toBeGreaterThan(50)
    expect(turned.reasons).toContain('join.seenThrough unsound')
    const slid = await judgeJoin('cleat', 'slid', 1)
    expect(slid.errorMm).toBeGreaterThan(1.5 * slid.toleranceMm)
    expect(slid.verdict).toBe('unsound')
    for (const r of [turned, slid]) expect(verdictFrom(r.evidence)).toBe(r.verdict)
  })
  test('a cleat laid the wrong way round on most of its surface: the true pose meets on less, is named, and the join is not trusted', async () => {
    const r = await judgeJoin('cleat', 'byShape', 510)
    // Wrong by half a turn, after which a cleat is the same: nobody could tell, and it is not called sound.
    expect(r.errorMm).toBeGreaterThan(50)
    expect(r.decidable).toBe(false)
    expect(r.reasons).toEqual(['join.alike doubtful'])
    const [other] = r.report.alternatives
    expect(other).toMatchObject({ asWell: false, better: false, ruledOutBy: null })
    expect(Math.abs(other.turnDeg - 180)).toBeLessThan(3)
    expect(other.share).toBeLessThan(0.8 * other.mainShare)
    const finding = joinFindings(r.report, ['a', 'b', 'c']).find((f) => f.id === 'join.alike')!
    expect(finding.text).toMatch(/nothing contradicts them turned by 180° either, where they meet on less/)
    expect(verdictFrom(r.evidence)).toBe('doubtful')
    expect(verdictFrom({ ...r.evidence, lessShare: 0.3 })).toBe('sound')
  })
})

describe('the bobbin, round and the same at both ends', () => {
  const surfaceDot = (deg: number, z: number): DotPlace => {
    const c = Math.cos((deg * Math.PI) / 180),
      s = Math.sin((deg * Math.PI) / 180)
    let r = 60
    while (NET_BOBBIN.field(r * c, r * s, z) > 1e-3) r -= Math.max(1e-3, 0.5 * NET_BOBBIN.field(r * c, r * s, z))
    return { space: 'piece', at: [r * c, r * s, z], normal: [c, s, 0], radiusMm: 2.5 }
  }
  const joined = async (dots: DotPlace[], dotsMm: number | null) => {
    const plans = [
      { ...NEW_TAKE, elevationDeg: 35 },
      { ...NEW_TAKE, name: 'upside down', pose: 'inverted' as const, elevationDeg: 35 },
    ]
    const got = plans.map((p, i) =>
      captureTake(NET_BOBBIN, p, TABLETOP_DEVICE, 100 + i, quietContext(), { spacingMm: 0.5, dots }),
    )
    const takes = got.map((g) =>
      pickPoints(
        g.cloud,
        [...g.trueKinds.keys()].filter((i) => g.trueKinds[i] === 0 || g.trueKinds[i] === 4),
      ),
    )
    const r = await runOperation(
      joinTakes,
      { takes },
      { names: ['upright', 'upside down'], fixed: 'upright', dotsMm },
      quietContext(),
    )
    const found = (r.outputs.motions as Motions).motions['upside down']
    const truth: Motion = compose(got[0].truth, invertRigid(got[1].truth))
    let far = 0
    for (let k = 0; k < takes[1].positions.length; k += 900) {
      const at = [takes[1].positions[k], takes[1].positions[k + 1], takes[1].positions[k + 2]] as const
      const p = transformPoint(found, ...at),
        q = transformPoint(truth, ...at)
      far = Math.max(far, Math.hypot(p[0] - q[0], p[1] - q[1], p[2] - q[2]))
    }
    return { far, verdict: worst(r.findings), text: r.findings.map((f) => `${f.verdict}: ${f.text}`).join('\n') }
  }
  nightTest('three dots on its side settle what shape leaves open', async () => {
    const without = await joined([], null)
    expect(without.verdict).toBe('unsound')
    expect(without.text).toMatch(
      /can turn about an axis that runs up and down .* nothing they share holds that\. The piece is round there/,
    )
    const { far, text } = await joined([surfaceDot(20, 48), surfaceDot(140, 40), surfaceDot(250, 60)], 5)
    expect(far).toBeLessThan(0.2)
    expect(text).toMatch(/sound: [23] dots of “upright” and “upside down” come together within 0\.\d\d mm\./)
    expect(text).toMatch(/but your marks rule them out/)
    expect(text).not.toContain('nothing they share holds that')
  })
  nightTest('one dot half way up does not, for the piece may stand on its head: that is said', async () => {
    const { text, verdict } = await joined([surfaceDot(20, 48)], 5)
    expect(verdict).toBe('unsound')
    expect(text).toContain('come together in more than one way, so that they settle nothing')
  })
})
