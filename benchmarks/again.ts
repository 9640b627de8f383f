/**
 * Acts done again on a finer skin, beside the same acts done there by hand: two takes of the lamp, tidied and joined, a
 * skin at 0.8 mm, its base cut, a spot cut out and closed, brought to size by one reading; then at 0.4 mm.
 *   npx tsx benchmarks/again.ts
 */
import { checkHealth, OIL_LAMP, quietContext, TABLETOP_DEVICE, type TriangleMesh } from '@holosoma/core'
import { actsAgain, operationNamed, runOperation, type Act, type HoleTold } from '@holosoma/core/operations'
import { makeSkin } from '../core/src/fuse/skin'
import { sameSimilarity } from '../core/src/linear/similarity'
import { joinedByTruth } from './lib'

const context = quietContext(1)
const takes = joinedByTruth(OIL_LAMP, 0.5)
const skin = (spacingMm: number): TriangleMesh => makeSkin(takes, { spacingMm }, context).mesh

async function byHand(mesh: TriangleMesh): Promise<{ acts: Act[]; mesh: TriangleMesh }> {
  const acts: Act[] = []
  let now = mesh
  const does = async (operation: string, params: Record<string, unknown>): Promise<void> => {
    const op = operationNamed(operation)
    const result = await runOperation(op, { [operation === 'size.scale' ? 'shape' : 'mesh']: now }, params, context)
    now = (result.outputs.mesh ?? result.outputs.shape) as TriangleMesh
    const { figures, details } = result
    acts.push({
      operation,
      params: result.params,
      details: details ?? null,
      figures,
      description: op.describe(result.params, figures),
    })
  }
  const [low] = corner(mesh, 2, -1).slice(2)
  const top = corner(mesh, 2, 1)
  await does('mend.cutPlane', { normal: [0, 0, 1], offsetMm: low + 2 })
  await does('mend.cutAway', { region: { kind: 'seeds', seeds: [top], reachMm: 5 } })
  const { holes } = acts.at(-1)!.details as { holes: readonly HoleTold[] }
  await does('mend.closeHole', { rim: holes[0].rim })
  const [from, to] = [corner(mesh, 0, -1), corner(mesh, 0, 1)]
  await does('size.scale', { pairs: [{ from, to, readingMm: 1.02 * Math.hypot(...from.map((v, c) => v - to[c])) }] })
  return { acts, mesh: now }
}
/** The point farthest along an axis. */
function corner({ positions: p }: TriangleMesh, axis: 0 | 1 | 2, sign: 1 | -1): [number, number, number] {
  let best = 0
  for (let i = 0; i < p.length; i += 3) if (sign * p[i + axis] > sign * p[best + axis]) best = i
  return [p[best], p[best + 1], p[best + 2]]
}
const length = (mesh: TriangleMesh): number => corner(mesh, 0, 1)[0] - corner(mesh, 0, -1)[0]

const [coarse, fine] = [skin(0.8), skin(0.4)]
const first = await byHand(coarse)
const hand = await byHand(fine)
let mesh = fine
for await (const act of actsAgain(fine, first.acts, sameSimilarity(), 0.8 + 3 * TABLETOP_DEVICE.noiseMm, context)) {
  process.stdout.write(`${act.act.description}: ${act.outcome}${act.why && `, because ${act.why}`}\n`)
  mesh = act.mesh
}
const [a, b] = [mesh, hand.mesh].map((m) => checkHealth(m, context))
const apart = (x: number, y: number): string => `${((x / y - 1) * 100).toFixed(4)} %`
process.stdout.write(
  `${coarse.indices.length / 3} triangles at 0.8 mm, ${fine.indices.length / 3} at 0.4 mm\n` +
    `closed ${a.closed}, crossings ${a.crossings}; volume ${a.volumeMm3.toFixed(1)} against ${b.volumeMm3.toFixed(1)} mm³ by hand: ${apart(a.volumeMm3, b.volumeMm3)}; ` +
    `length ${length(mesh).toFixed(3)} against ${length(hand.mesh).toFixed(3)} mm: ${apart(length(mesh), length(hand.mesh))}\n`,
)
