import { stage, type RunContext } from '../context'
import { isGeometryError } from '../errors'
import type { Finding } from '../findings'
import { afterScaling, movedPlaces, sameSimilarity, type Similarity } from '../linear/similarity'
import type { TriangleMesh } from '../shapes'
import { ANYWHERE, runOperation, type AnyOperation, type Figures, type OperationResult } from './operation'
import { operationNamed } from './registry'

/*
 * Acts on a mesh, done again on another mesh: of the same piece, after its skin was made anew; of the next piece of its
 * kind, as a recipe. Each act is moved to where the other mesh lies and looked for there; one whose place is gone changes
 * nothing and is told.
 */

/** An act as its step recorded it. */
export interface Act {
  readonly operation: string
  readonly params: Record<string, unknown>
  readonly details: unknown
  readonly figures: Figures
  readonly description: string
  /** A person does not want it again. */
  readonly leave?: boolean
}

export type Outcome = 'done' | 'unfit' | 'left'

export interface ActAgain {
  readonly act: Act
  readonly outcome: Outcome
  /** Why it does not fit, as a clause after “because”; '' where it was done. */
  readonly why: string
  /** Where it was done: what it gave, and the parameters it was done with. */
  readonly result?: OperationResult & { readonly params: Record<string, unknown> }
  /** The mesh as it stands after it. */
  readonly mesh: TriangleMesh
}

/**
 * Whether an act may be done on another piece as well: readings of size belong to the piece they were taken on.
 */
export const isRecipe = (name: string): boolean => isRepeatable(name) && name !== 'size.scale'

/** Whether an act of that name can be done again at all; a check of the mesh is not one. */
export function isRepeatable(name: string): boolean {
  try {
    return operationNamed(name).again !== undefined
  } catch {
    return false
  }
}

/**
 * Does acts again, in their order, each on what the one before left.
 * @param map from where the first mesh lay to where this one lies; null where that is not known: acts that have a place
 * do not fit then
 * @param withinMm how far a place may lie from where it was
 * @returns one outcome an act, as each is settled
 */
export async function* actsAgain(
  mesh: TriangleMesh,
  acts: readonly Act[],
  map: Similarity | null,
  withinMm: number,
  context: RunContext,
): AsyncGenerator<ActAgain> {
  let now = mesh
  let at = map
  for (const [i, act] of acts.entries()) {
    const operation = operationNamed(act.operation)
    const { again } = operation
    const factor = again?.factorOf?.(act.figures) ?? 1
    const done = act.leave
      ? { act, outcome: 'left' as const, why: '', mesh: now }
      : await once(operation, act, now, at, withinMm, stage(context, i / acts.length, (i + 1) / acts.length))
    const grown = done.outcome === 'done' ? (again?.factorOf?.(done.result!.figures) ?? 1) : 1
    // What follows was recorded on a mesh that had been scaled; where this one was not, it lies smaller there.
    if (at && (factor !== 1 || grown !== 1)) at = afterScaling(at, factor, grown)
    now = done.mesh
    yield done
  }
}

async function once(
  operation: AnyOperation,
  act: Act,
  mesh: TriangleMesh,
  known: Similarity | null,
  reachMm: number,
  context: RunContext,
): Promise<ActAgain> {
  const { again } = operation
  const unfit = (why: string): ActAgain => ({ act, outcome: 'unfit', why, mesh })
  if (!again) return unfit('it is no act that can be done again')
  if (!known && again !== ANYWHERE) return unfit('nobody can tell where this piece lies to the other')
  const map = known ?? sameSimilarity()
  const withinMm = reachMm * map.scale
  const params = again.moved(act.params, map)
  const curve = movedPlaces(map, again.curveOf?.(act.details) ?? [])
  const fitting = again.fit?.(params, { curve }, mesh, withinMm) ?? params
  if ('unfit' in fitting) return unfit(String(fitting.unfit))
  const input = 'shape' in operation.inputs ? 'shape' : 'mesh'
  try {
    const result = await runOperation(operation, { [input]: mesh }, fitting, context)
    const made = result.outputs.mesh ?? result.outputs.shape
    return { act, outcome: 'done', why: '', result, mesh: made?.kind === 'mesh' ? made : mesh }
  } catch (error) {
    // That it was cancelled, or that the memory ends, is no finding about the act.
    if (!isGeometryError(error) || !UNFIT.has(error.code)) throw error
    return unfit(error.message.replace(/\.$/, ''))
  }
}

/** Refusals that say that an act does not fit this mesh. */
const UNFIT: ReadonlySet<string> = new Set(['DEGENERATE', 'EMPTY', 'PARAMS', 'CONFLICT'])

/** How acts done again came out, to be told: what does not fit is doubtful, and a lost scale says so by itself. */
export function againFindings(done: readonly ActAgain[]): Finding[] {
  const said = (a: ActAgain): string => `“${a.act.description}”`
  const scaleLost = done.filter((a) => a.outcome !== 'done' && a.act.operation === 'size.scale')
  const rest = done.filter((a) => a.outcome === 'unfit' && !scaleLost.includes(a))
  const left = done.filter((a) => a.outcome === 'left' && !scaleLost.includes(a))
  const ok = done.filter((a) => a.outcome === 'done').length
  return [
    ...scaleLost.map((a): Finding => ({
      id: 'again.scale',
      verdict: 'unsound',
      text:
        `The skin is not at true size: ${said(a)} was ` +
        (a.outcome === 'left' ? 'left out by you.' : `not done again, because ${a.why}.`),
      nextMove: 'Take the readings again at Size',
    })),
    ...rest.map((a): Finding => ({
      id: 'again.unfit',
      verdict: 'doubtful',
      text: `${said(a)} does not fit any more, because ${a.why}. Nothing was changed there.`,
    })),
    ...left.map((a): Finding => ({ id: 'again.left', verdict: 'sound', text: `${said(a)} was left out by you.` })),
    ...(ok > 0
      ? [
          {
            id: 'again.done',
            verdict: 'sound' as const,
            text: `${ok} ${ok === 1 ? 'act was' : 'acts were'} done again.`,
          },
        ]
      : []),
  ]
}
