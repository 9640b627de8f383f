import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { quietContext } from '../context'
import { bytesSource, readShape } from '../formats'
import { operationNamed, runOperation, type Selection } from '../operations'
import { hasBit } from '../select/bits'

/*
 * A real scan with a ground under it: airborne, 22,300 points in metres, 2,447 of them named by hand as ground (0),
 * plants (1) or roof (2). It is the training scan of the classification manual of CGAL 5.5.1,
 * data/points_3/b9_training.ply in Debian's libcgal-demo; the test command fetches it.
 */
const folder = process.env.HOLOSOMA_OPEN_DATA
if (!folder) throw new Error('HOLOSOMA_OPEN_DATA is not set: run this with "npm test".')
const bytes = readFileSync(join(folder, 'b9_training.ply'))

/** Labels stand at the end of each record: three doubles, three bytes, one integer. */
function labelsOf(data: Buffer, points: number): Int32Array {
  const record = 31,
    start = data.indexOf('end_header\n') + 'end_header\n'.length
  expect(data.length).toBe(start + points * record)
  return Int32Array.from({ length: points }, (_, i) => data.readInt32LE(start + i * record + 27))
}

test('the ground of a real scan is taken for what stands on it to stand on: nearly all of it goes, no roof does and hardly a plant', async () => {
  const take = await readShape(bytesSource(bytes), 'b9_training.ply')
  const points = take.positions.length / 3
  expect(points).toBe(22_300)
  const labels = labelsOf(bytes, points)
  const { outputs, figures } = await runOperation(
    operationNamed('tidy.trimTable'),
    { take },
    { bandMm: 1, offsetMm: 1, force: true, apply: false },
    quietContext(),
  )
  const { bits } = outputs.selection as Selection
  const gone = (label: number): number => {
    const own = Array.from(labels.keys()).filter((i) => labels[i] === label)
    return own.filter((i) => hasBit(bits, i)).length / own.length
  }
  expect(Number(figures.planeZ)).toBeGreaterThan(0.999)
  expect(gone(0)).toBeGreaterThan(0.99)
  // A low plant is within a metre of the sloping ground's plane.
  expect(gone(1)).toBeLessThan(0.01)
  expect(gone(2)).toBe(0)
})
