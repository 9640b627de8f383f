import { expect, test } from 'vitest'
import { checkpoint, quietContext, stage, type RunContext } from './context'
import { GeometryError, isGeometryError } from './errors'
import { grouped, mm, percent, worst } from './findings'

function recording(): { context: RunContext; seen: [number, string][] } {
  const seen: [number, string][] = []
  return {
    seen,
    context: {
      ...quietContext(),
      memoryBytes: 5,
      progress: (fraction, note) => seen.push([Number(fraction.toFixed(3)), note]),
    },
  }
}

test('a stage lays its progress into its part of the whole, also within another stage', () => {
  const { context, seen } = recording()
  const part = stage(context, 0.2, 0.6)
  part.progress(0, 'a')
  part.progress(0.5, 'b')
  stage(part, 0.5, 1).progress(1, 'c')
  expect(seen).toEqual([
    [0.2, 'a'],
    [0.4, 'b'],
    [0.6, 'c'],
  ])
  expect(part.memoryBytes).toBe(5)
  expect(part.random).toBe(context.random)
})

test('a checkpoint reports how far it is, never more than all, and stops when asked', () => {
  const { context, seen } = recording()
  checkpoint(context, 5, 10, 'half')
  checkpoint(context, 15, 10, 'over')
  checkpoint(context, 0, 0, 'nothing to do')
  expect(seen).toEqual([
    [0.5, 'half'],
    [1, 'over'],
    [1, 'nothing to do'],
  ])
  const stopped = { ...context, cancelled: () => true }
  try {
    checkpoint(stopped, 1, 2, 'x')
    expect.unreachable()
  } catch (error) {
    expect(isGeometryError(error) && error.code).toBe('CANCELLED')
  }
})

test('errors carry a code, a sentence and details; others are told apart', () => {
  const error = new GeometryError('RANGE', 'Too far out.', { point: 3 })
  expect([error.code, error.message, error.detail.point, isGeometryError(error)]).toEqual([
    'RANGE',
    'Too far out.',
    3,
    true,
  ])
  expect(isGeometryError(new TypeError('x'))).toBe(false)
  expect(isGeometryError('x')).toBe(false)
})

test('the worst finding gives the verdict', () => {
  expect(worst([])).toBe('sound')
  expect(worst([{ verdict: 'sound' }, { verdict: 'doubtful' }])).toBe('doubtful')
  expect(worst([{ verdict: 'unsound' }, { verdict: 'doubtful' }])).toBe('unsound')
})

test('figures carry units and sensible digits', () => {
  expect([mm(118.4249), mm(0.0423, 3), percent(0.9432), percent(0.5, 0), grouped(1234567.4)]).toEqual([
    '118.42 mm',
    '0.042 mm',
    '94.3 %',
    '50 %',
    '1,234,567',
  ])
})
