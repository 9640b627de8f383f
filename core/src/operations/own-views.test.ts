import bunny from 'bunny'
import { expect, test } from 'vitest'
import { quietContext } from '../context'
import { meanPoint } from '../linear/mean-point'
import {
  compose,
  invertRigid,
  rotationAngle,
  rotationMotion,
  shiftMotion,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import { nightTest } from '../testing/night'
import { standardSize, viewsOf } from '../testing/views'
import type { PointCloud } from '../shapes'
import type { Motions } from './artefacts'
import { joinTakes } from './join'
import { runOperation } from './operation'

/* Raw single looks at an open scan (Stanford bunny), each in the coordinates of its device, with no word of where it stood. */

const COUNT = 8
const views = viewsOf(
  standardSize({
    kind: 'mesh',
    positions: Float32Array.from(bunny.positions.flat()),
    indices: Uint32Array.from(bunny.cells.flat()),
  }),
  12,
  { points: 5000, perPose: COUNT / 2 },
)
/** Laid so that the device stands at zero, and turned any way. */
const homes = views.map((v, i): Motion => {
  const o = v.cloud.frameOrigins!
  const shift = Float64Array.from([1, 0, 0, -o[0], 0, 1, 0, -o[1], 0, 0, 1, -o[2], 0, 0, 0, 1])
  return compose(rotationMotion([Math.sin(i), 1, Math.cos(2 * i)], i * 1.7), shift)
})
const takes = views.map((v, i): PointCloud => ({
  kind: 'cloud',
  positions: transformPoints(homes[i], v.cloud.positions),
}))
const names = views.map((_, i) => `look ${i + 1}`)
const truth = views.map((v, i) => compose(v.truth, invertRigid(homes[i])))

async function right(
  ownViews: boolean,
  looks = takes,
  laid = truth,
): Promise<{ right: number; verdict: unknown; findings: string[] }> {
  const { outputs, figures, findings } = await runOperation(
    joinTakes,
    { takes: looks },
    { names, fixed: names[0], ownViews },
    quietContext(),
  )
  const { motions } = outputs.motions as Motions
  const off = names.map((n, i) =>
    motions[n] ? rotationAngle(compose(invertRigid(compose(invertRigid(laid[0]), laid[i])), motions[n])) : Math.PI,
  )
  return {
    right: off.filter((a) => a < 0.01).length,
    verdict: figures.verdict,
    findings: findings.map((f) => f.text),
  }
}

nightTest(
  'where their devices stood is read off them, told, and tells their places; without it they are not trusted',
  async () => {
    const with_ = await right(true)
    expect(with_.right).toBe(COUNT)
    expect(with_.verdict).not.toBe('unsound')
    expect(with_.findings.at(-1)).toBe(
      'All takes were seen from the zero point of their files, so what stands before them there counts against a join.',
    )
    const without = await right(false)
    expect(without.right === COUNT || without.verdict !== 'sound').toBe(true)
    expect(without.findings.some((t) => t.includes('zero point'))).toBe(false)
  },
)

test('where files lie anywhere, each that can be one look only is placed as one, told, and no zero point is spoken of', async () => {
  const anywhere = views.map((_, i): Motion =>
    rotationMotion([1, Math.cos(i), Math.sin(3 * i)], 0.4 + i, [30, -8 * i, 5]),
  )
  const looks = takes.map((t, i): PointCloud => {
    const middle = meanPoint(t.positions)
    const home = t.positions.map((v, k) => v - middle[k % 3])
    return { kind: 'cloud', positions: transformPoints(anywhere[i], home) }
  })
  const laid = takes.map((t, i) =>
    compose(truth[i], compose(shiftMotion(...meanPoint(t.positions)), invertRigid(anywhere[i]))),
  )
  const found = await right(true, looks, laid)
  expect(found.right).toBe(COUNT)
  expect(found.verdict).not.toBe('unsound')
  expect(found.findings.at(-1)).toMatch(/can only be one look each.*no verdict rests on it/)
  expect(found.findings.some((t) => t.includes('zero point'))).toBe(false)
})
