import type Joi from 'joi'
import type { RunContext } from '../context'
import { GeometryError } from '../errors'
import { capital, type Finding } from '../findings'
import type { Motion } from '../linear/rigid'
import type { PointCloud, Shape, TriangleMesh } from '../shapes'

/** Motions are artefacts of their own and never baked into clouds; take → fixed take. */
export interface Motions {
  readonly kind: 'motions'
  readonly motions: Readonly<Record<string, Motion>>
}

/** A set of points or faces by bit, kept beside the shape it belongs to. */
export interface Selection {
  readonly kind: 'selection'
  readonly count: number
  readonly bits: Uint8Array
}

/** One number a point, beside the shape it belongs to. */
export interface Scalars {
  readonly kind: 'scalars'
  readonly values: Float32Array
}

export type Artefact = Shape | Motions | Selection | Scalars
export type ArtefactKind = Artefact['kind']

/**
 * A named input: one artefact of a kind, or several. `shape` stands for a cloud or a mesh; what ends in `?` may be left
 * out.
 */
export type InputKind = 'cloud' | 'mesh' | 'shape' | 'motions' | 'clouds' | 'selection' | 'clouds?' | 'motions?'

/** Motions are kept by the takes' names, so two of one name would be taken for each other. */
export const ONE_NAME_EACH = {
  'array.unique':
    'Two takes have the same name; each needs one of its own, or one would be laid where the other belongs',
}

export type Figures = Readonly<Record<string, number | string | boolean>>

export interface OperationResult {
  readonly outputs: Readonly<Record<string, Artefact>>
  readonly figures: Figures
  readonly findings: readonly Finding[]
}

export interface Estimate {
  /**
   * Work units; the host turns them into seconds by its own measured speed. One unit is about a million point visits.
   */
  readonly work: number
  readonly bytes: number
}

export type InputValue = Artefact | readonly PointCloud[]
export type Inputs = Readonly<Record<string, InputValue>>

/**
 * The one shape every geometric act has. Pure: the same inputs, parameters, seed and version give the same bytes.
 * The page, the worker, the command line, the ledger and the recipes call operations; none of them knows an algorithm.
 */
export interface Operation<P = Record<string, unknown>> {
  readonly name: string
  /** Raise when the same inputs would give other bytes. */
  readonly version: number
  readonly inputs: Readonly<Record<string, InputKind>>
  readonly params: Joi.ObjectSchema<P>
  estimate(inputs: Inputs, params: P): Estimate
  run(inputs: Inputs, params: P, context: RunContext): Promise<OperationResult> | OperationResult
  describe(params: P, figures: Figures): string
}

const registry = new Map<string, Operation>()

export function defineOperation<P>(operation: Operation<P>): Operation<P> {
  if (registry.has(operation.name)) throw new Error(`operation ${operation.name} is defined twice`)
  registry.set(operation.name, operation as unknown as Operation)
  return operation
}

export function operationNamed(name: string): Operation {
  const operation = registry.get(name)
  if (!operation) throw new GeometryError('PARAMS', `There is no operation called "${name}".`)
  return operation
}

export function operationNames(): string[] {
  return [...registry.keys()].sort()
}

/** Checks parameters and inputs, fills defaults, runs. @throws PARAMS with the first thing that is wrong */
export async function runOperation<P>(
  operation: Operation<P>,
  inputs: Inputs,
  params: unknown,
  context: RunContext,
): Promise<OperationResult & { params: P }> {
  const checked = checkParams(operation, params)
  for (const [name, wanted] of Object.entries(operation.inputs)) {
    const value = inputs[name]
    const kind = wanted.replace('?', '')
    if (value === undefined && wanted.endsWith('?')) continue
    if (value === undefined) throw new GeometryError('PARAMS', `${operation.name} needs "${name}".`)
    const fits =
      kind === 'clouds'
        ? Array.isArray(value) && value.every((v: Artefact) => v.kind === 'cloud')
        : kind === 'shape'
          ? isShape(value)
          : !Array.isArray(value) && (value as Artefact).kind === kind
    if (!fits)
      throw new GeometryError(
        'SHAPE',
        `${operation.name} needs a ${kind === 'clouds' ? 'list of clouds' : kind} as "${name}".`,
      )
  }
  return { ...(await operation.run(inputs, checked, context)), params: checked }
}

export function checkParams<P>(operation: Operation<P>, params: unknown): P {
  const { value, error } = operation.params.validate(params ?? {}, { convert: false })
  if (error) throw new GeometryError('PARAMS', `${sentence(error.details[0]!.message)}`)
  return value as P
}

function sentence(text: string): string {
  const t = text.replaceAll('"', '')
  return `${capital(t)}.`
}

function isShape(value: InputValue): value is Shape {
  return !Array.isArray(value) && ((value as Artefact).kind === 'cloud' || (value as Artefact).kind === 'mesh')
}

export const cloudOf = (inputs: Inputs, name: string): PointCloud => inputs[name] as PointCloud
export const meshOf = (inputs: Inputs, name: string): TriangleMesh => inputs[name] as TriangleMesh
export const cloudsOf = (inputs: Inputs, name: string): readonly PointCloud[] => inputs[name] as readonly PointCloud[]
export const motionsOf = (inputs: Inputs, name: string): Motions => inputs[name] as Motions
export const selectionIn = (inputs: Inputs, name: string): Selection => inputs[name] as Selection
