import { GeometryError } from '../errors'
import type { PointCloud, Shape, TriangleMesh } from '../shapes'
import type { Motions, Photos, Selection } from './artefacts'

/** What an operation can be given under one name. */
export interface InputTypes {
  readonly cloud: PointCloud
  readonly mesh: TriangleMesh
  /** A cloud or a mesh. */
  readonly shape: Shape
  readonly clouds: readonly PointCloud[]
  readonly motions: Motions
  readonly selection: Selection
  readonly photos: Photos
}
export type InputKind = keyof InputTypes
export type InputValue = InputTypes[InputKind]

/**
 * Where an input comes from when an operation works on a piece: the take that is asked for, all takes that go in, the
 * take and the one it goes on with, the other joined takes, the motions of the join, the empty bench, what was chosen,
 * the skin as it stands, another result of the piece, its photos. Null: it is given by whoever runs the operation, and by nobody else.
 */
export type InputSource =
  'take' | 'takes' | 'pair' | 'others' | 'join' | 'bench' | 'selection' | 'skin' | 'other' | 'photos'

export interface InputSpec {
  readonly kind: InputKind
  readonly from: InputSource | null
  readonly optional: boolean
}
export type InputSpecs = Readonly<Record<string, InputSpec>>

const input = <K extends InputKind>(kind: K, from: InputSource | null) => ({ kind, from, optional: false }) as const

/** The inputs there are, by what an operation says it works on. */
export const WORKS_ON = {
  take: input('cloud', 'take'),
  importedMesh: input('mesh', 'take'),
  takes: input('clouds', 'takes'),
  pair: input('clouds', 'pair'),
  others: input('clouds', 'others'),
  join: input('motions', 'join'),
  bench: input('cloud', 'bench'),
  selection: input('selection', 'selection'),
  skin: input('mesh', 'skin'),
  skinShape: input('shape', 'skin'),
  other: input('mesh', 'other'),
  photos: input('photos', 'photos'),
  givenShape: input('shape', null),
} as const

/** The same input, which may be left out. */
export const optional = <S extends InputSpec>({ kind, from }: S): Pick<S, 'kind' | 'from'> & { optional: true } => ({
  kind,
  from,
  optional: true,
})

type Needed<I extends InputSpecs> = { [K in keyof I]: I[K]['optional'] extends true ? never : K }[keyof I]
type Left<I extends InputSpecs> = { [K in keyof I]: I[K]['optional'] extends true ? K : never }[keyof I]
/** What an operation is given, by its declaration. */
export type InputsOf<I extends InputSpecs> = { readonly [K in Needed<I>]: InputTypes[I[K]['kind']] } & {
  readonly [K in Left<I>]?: InputTypes[I[K]['kind']] | undefined
}

const isList = (value: InputValue): value is readonly PointCloud[] => Array.isArray(value)

const FITS: Readonly<Record<InputKind, (value: InputValue) => boolean>> = {
  cloud: (v) => !isList(v) && v.kind === 'cloud',
  mesh: (v) => !isList(v) && v.kind === 'mesh',
  shape: (v) => !isList(v) && (v.kind === 'cloud' || v.kind === 'mesh'),
  clouds: (v) => isList(v) && v.every((c) => c.kind === 'cloud'),
  motions: (v) => !isList(v) && v.kind === 'motions',
  selection: (v) => !isList(v) && v.kind === 'selection',
  photos: (v) => !isList(v) && v.kind === 'photos',
}

/** @throws PARAMS when one is missing, SHAPE when one is of another kind than declared */
export function checkInputs(operation: string, specs: InputSpecs, given: Readonly<Record<string, unknown>>): void {
  for (const [name, { kind, optional: may }] of Object.entries(specs)) {
    const value = given[name] as InputValue | undefined
    if (value === undefined) {
      if (may) continue
      throw new GeometryError('PARAMS', `${operation} needs "${name}".`)
    }
    if (!FITS[kind](value))
      throw new GeometryError(
        'SHAPE',
        `${operation} needs a ${kind === 'clouds' ? 'list of clouds' : kind} as "${name}".`,
      )
  }
}
