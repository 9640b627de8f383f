import type Joi from 'joi'
import type { RunContext } from '../context'
import { GeometryError } from '../errors'
import { capital, type Finding } from '../findings'
import type { Similarity } from '../linear/similarity'
import type { TriangleMesh } from '../shapes'
import type { Artefact } from './artefacts'
import type { DetailsOf } from './details'
import { checkInputs, type InputsOf, type InputSpecs } from './inputs'

/** Motions are kept by the takes' names, so two of one name would be taken for each other. */
export const ONE_NAME_EACH = {
  'array.unique':
    'Two takes have the same name; each needs one of its own, or one would be laid where the other belongs',
}

export type Figures = Readonly<Record<string, number | string | boolean>>

export interface OperationResult<D = unknown> {
  readonly outputs: Readonly<Record<string, Artefact>>
  readonly figures: Figures
  readonly findings: readonly Finding[]
  readonly details?: D
}
type Told<D> = OperationResult<D> & (D extends undefined ? unknown : { readonly details: D })
/** What an operation of that name gives back. */
export type ResultOf<N extends string> = Told<DetailsOf<N>>

export interface Estimate {
  /**
   * Work units; the host turns them into seconds by its own measured speed. One unit is about a million point visits.
   */
  readonly work: number
  readonly bytes: number
}

/** How an operation is run on a piece: on which line of its history the step stands, and what is said meanwhile. */
export interface OnPiece {
  readonly track: 'take' | 'join' | 'mesh' | 'check'
  /** Points lie elsewhere afterwards, so that what was joined before must be joined again. */
  readonly movesPoints?: true
  /** @param takes names of the takes it works on, in their order */
  doing(takes: readonly string[]): string
}

/**
 * How an act on a mesh is done again on another mesh of the same piece. Its record holds no triangles: places, curves,
 * planes and lengths, which are moved to where the other mesh lies, and looked for there.
 */
export interface Again<P> {
  /** The parameters where the mesh now lies. */
  moved(params: P, map: Similarity): P
  /**
   * The parameters as they fit the other mesh, or why they do not. Left out where the act has no place of its own.
   * @param told what the act told when it was done first, its places moved already
   * @param withinMm how far its place may lie from where it was
   */
  fit?(params: P, told: { readonly curve: readonly number[] }, mesh: TriangleMesh, withinMm: number): P | Unfit
  /** A curve or places the act told of in its details, x, y, z …, by which it is found again. */
  curveOf?(details: unknown): readonly number[]
  /** How much larger the mesh became by it. @defaultValue 1 */
  factorOf?(figures: Figures): number
}
export interface Unfit {
  /** A clause that goes on after “because”. */
  readonly unfit: string
}

/** For acts that have no place: what they do follows from the mesh alone. */
export const ANYWHERE: Again<never> = { moved: (params) => params }

/**
 * The one shape every geometric act has. Pure: the same inputs, parameters, seed and version give the same bytes.
 * The page, the worker, the command line, the ledger and the recipes call operations; none of them knows an algorithm.
 */
export interface Operation<P = Record<string, unknown>, I extends InputSpecs = InputSpecs, N extends string = string> {
  readonly name: N
  /** Raise when the same inputs would give other bytes. */
  readonly version: number
  readonly inputs: I
  readonly params: Joi.ObjectSchema<P>
  /** Left out where it is only ever run on files. */
  readonly onPiece?: OnPiece
  /** Set for acts on a mesh that can be done again on another; left out, they are not. */
  readonly again?: Again<P>
  /** For what takes a part away: the parameters that leave the other part, where both are to be kept. */
  otherSide?(params: P): P
  estimate(inputs: InputsOf<I>, params: P): Estimate
  run(inputs: InputsOf<I>, params: P, context: RunContext): Promise<ResultOf<N>> | ResultOf<N>
  describe(params: P, figures: Figures): string
}

/** An operation of which only the name is known: what it is given is checked when it runs. */
export type AnyOperation = Operation

/** Declares an operation; `all.ts` lists it, so that it is found by its name. */
export const defineOperation = <P, const I extends InputSpecs, const N extends string>(
  operation: Operation<P, I, N>,
): Operation<P, I, N> => operation

/** Checks parameters and inputs, fills defaults, runs. @throws PARAMS with the first thing that is wrong */
export async function runOperation<P, I extends InputSpecs, N extends string>(
  operation: Operation<P, I, N>,
  inputs: InputsOf<I>,
  params: unknown,
  context: RunContext,
): Promise<ResultOf<N> & { readonly params: P }> {
  const checked = checkParams(operation, params)
  checkInputs(operation.name, operation.inputs, inputs)
  return { ...(await operation.run(inputs, checked, context)), params: checked }
}

/** Parameters filled up with their defaults. @throws PARAMS in a sentence */
export function checkParams<P>(operation: { readonly params: Joi.ObjectSchema<P> }, params: unknown): P {
  const { value, error } = operation.params.validate(params ?? {}, { convert: false })
  if (error) throw new GeometryError('PARAMS', `${sentence(error.details[0].message)}`)
  return value
}

function sentence(text: string): string {
  const t = text.replaceAll('"', '')
  return `${capital(t)}.`
}
