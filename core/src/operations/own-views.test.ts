import bunny from 'bunny'
import { expect, test } from 'vitest'
import { quietContext } from '../context'
import { compose, invertRigid, rotationAngle, rotationMotion, transformPoints, type Motion } from '../linear/rigid'
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

async function right(ownViews: boolean): Promise<{ right: number; verdict: unknown; findings: string[] }> {
  const { outputs, figures, findings } = await runOperation(
    joinTakes,
    { takes },
    { names, fixed: names[0], ownViews },
    quietContext(),
  )
  const { motions } = outputs.motions as Motions
  const off = names.map((n, i) =>
    motions[n] ? rotationAngle(compose(invertRigid(compose(invertRigid(truth[0]), truth[i])), motions[n])) : Math.PI,
  )
  return {
    right: off.filter((a) => a < 0.01).length,
    verdict: figures.verdict,
    findings: findings.map((f) => f.text),
  }
}

test('where their devices stood is read off them, told, and tells their places; without it they are not trusted', async () => {
  const with_ = await right(true)
  expect(with_.right).toBe(COUNT)
  expect(with_.verdict).not.toBe('unsound')
  expect(with_.findings.at(-1)).toBe(
    'All takes were seen from the zero point of their files, so what stands before them there counts against a join.',
  )
  const without = await right(false)
  expect(without.right === COUNT || without.verdict !== 'sound').toBe(true)
  expect(without.findings.some((t) => t.includes('zero point'))).toBe(false)
})
