import { expect, test } from 'vitest'
import type { TakeState } from '@holosoma/engine'
import { groupedByPose, NO_POSE } from './take-groups'

const take = (id: number, pose: string) => ({ id, pose }) as TakeState
const shape = (takes: readonly TakeState[]) => groupedByPose(takes).map((g) => [g.pose, g.takes.map((t) => t.id)])

test('three takes of a pose are one group, where the first of them stands; two, or takes without a pose, are not', () => {
  expect(
    shape([take(1, 'upright'), take(2, 'on its side'), take(3, 'upright'), take(4, ''), take(5, 'upright')]),
  ).toEqual([
    ['upright', [1, 3, 5]],
    [null, [2]],
    [null, [4]],
  ])
  expect(shape([take(1, 'a'), take(2, 'a'), take(3, ''), take(4, ''), take(5, '')]).map(([pose]) => pose)).toEqual(
    Array(5).fill(null),
  )
})

test('takes of which nobody said how the piece lay are no group', () => {
  expect(groupedByPose([take(1, NO_POSE), take(2, NO_POSE), take(3, NO_POSE)])).toHaveLength(3)
})

test('sixty sweeps of one pose are one cell', () => {
  const sweeps = Array.from({ length: 60 }, (_, i) => take(i + 1, 'on the arm'))
  expect(groupedByPose(sweeps)).toHaveLength(1)
})
