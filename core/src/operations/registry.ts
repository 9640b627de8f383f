import { GeometryError } from '../errors'
import * as ALL from './all'
import type { AnyOperation } from './operation'

/** By name. Made of the list itself, so that no bundler takes an operation for unused. */
const registry = new Map<string, AnyOperation>()
for (const operation of Object.values(ALL) as unknown as AnyOperation[]) {
  if (registry.has(operation.name)) throw new Error(`operation ${operation.name} is defined twice`)
  registry.set(operation.name, operation)
}

/** @throws PARAMS for a name that is no operation */
export function operationNamed(name: string): AnyOperation {
  const operation = registry.get(name)
  if (!operation) throw new GeometryError('PARAMS', `There is no operation called "${name}".`)
  return operation
}

/** Whether an act moves points; acts that are no operations (a proposal left alone) move none. */
export const movesPoints = (name: string): boolean => registry.get(name)?.onPiece?.movesPoints === true

/** All names in the registry, in order. */
export function operationNames(): string[] {
  return [...registry.keys()].sort()
}
