import { checkParams, type AnyOperation } from '@holosoma/core'
import type { InputSource } from '@holosoma/core/operations'
import { resultTrack, type PieceState, type TakeState, type Track } from '@holosoma/engine'
import { Refusal } from '@/lib/server'
import { joinedOthers, readyTakes, takeHere, unlocked } from './places'
import type { Asked, Ground, Job, Rule } from './request'

/** What is said where an input is not there yet; the stations' rules say it better where they can. */
const MISSING: Readonly<Record<InputSource, string>> = {
  take: 'That take is not here.',
  takes: 'There is no take yet.',
  pair: 'Say which two takes.',
  others: 'The takes are not joined as they stand; match them first.',
  join: 'There is no join that stands; match the takes first.',
  bench: 'The empty bench is not known; take it, or say which take shows it.',
  selection: 'Say which selection is to be cut.',
  skin: 'There is no skin yet.',
  other: 'Say which other result of the piece.',
  photos: 'There are no photos of the piece yet.',
}

/** The job an operation's declaration asks for, on the piece as it stands. @throws Refusal */
export function jobByDeclaration(operation: AnyOperation, rule: Rule, state: PieceState, asked: Asked): Job {
  const { onPiece, inputs: specs } = operation
  if (!onPiece) throw new Refusal(404, `“${operation.name}” works on files, not on a piece of the shelf.`)
  const sources = new Set(Object.values(specs).map((s) => s.from))
  const ready = readyTakes(state)
  const ground: Ground = { ready, takes: takesOf(onPiece.track, sources, rule, state, ready, asked) }
  const refused = rule.refuse?.(state, ground, asked)
  if (refused) throw new Refusal(409, refused)
  const inputs: Record<string, string | string[]> = {}
  for (const [name, { kind, from, optional }] of Object.entries(specs)) {
    const found = from && (rule.input?.(from, state, ground, asked) ?? usualInput(from, sources, state, ground))
    if (found !== null) inputs[name] = typeof found === 'string' ? found : [...found]
    else if (!optional) throw new Refusal(409, from ? MISSING[from] : `“${operation.name}” works on files alone.`)
    // The other way round a mesh's surface is points like any.
    if (from === 'take' && kind === 'mesh' && ground.takes[0].shape!.kind !== 'mesh')
      throw new Refusal(409, 'Only an imported mesh can be taken like that; this take is of points.')
  }
  // Who the takes are, beside what they are called.
  if (sources.has('takes') || sources.has('pair')) inputs.of = ground.takes.map((t) => String(t.id))
  const params = checkParams(operation, rule.params?.(state, ground, asked) ?? asked.params)
  const begins = onPiece.track === 'mesh' && !sources.has('skin')
  const track: Track | null =
    onPiece.track === 'take'
      ? `take:${ground.takes[0].id}`
      : onPiece.track === 'mesh'
        ? lineOf(operation.name, begins, state, asked)
        : onPiece.track
  const title = rule.title?.(state, ground, asked) ?? onPiece.doing(ground.takes.map((t) => t.name))
  const output = onPiece.track === 'mesh' && Object.keys(specs).includes('shape') ? { output: 'mesh' } : {}
  return { track, title, request: { kind: 'operation', operation: operation.name, params, inputs, ...output } }
}

/** The result an act on a mesh goes on with; null where it begins one of its own. */
function lineOf(operation: string, begins: boolean, { mesh }: PieceState, asked: Asked): Track | null {
  // Made again, a skin takes the place of the one before it; a mesh that came from elsewhere stays beside it.
  const again = begins && mesh?.chain[0]?.operation === operation && operation === 'skin.make' && !asked.beside
  return mesh && (!begins || again) ? resultTrack(mesh.id) : null
}

function takesOf(
  track: string,
  sources: ReadonlySet<InputSource | null>,
  rule: Rule,
  state: PieceState,
  ready: readonly TakeState[],
  asked: Asked,
): readonly TakeState[] {
  if (sources.has('take')) return [track === 'take' ? unlocked(ready, asked.takeId) : takeHere(ready, asked.takeId)]
  if (sources.has('pair')) {
    const pair = [unlocked(ready, asked.takeId), unlocked(ready, Number(asked.params.with))]
    if (pair[0] === pair[1] || pair.some((t) => t.shape!.kind !== 'cloud'))
      throw new Refusal(409, 'A take goes on with another take of points.')
    return pair
  }
  return sources.has('takes') ? (rule.takes?.(state, ready, asked) ?? ready) : []
}

function usualInput(
  from: InputSource,
  sources: ReadonlySet<InputSource | null>,
  state: PieceState,
  { takes }: Ground,
): string | readonly string[] | null {
  const hashes = takes.map((t) => t.shape!.hash)
  const joined = sources.has('others') && takes[0] ? joinedOthers(state, takes[0]) : null
  switch (from) {
    case 'take':
      return hashes[0] ?? null
    case 'takes':
    case 'pair':
      return hashes.length > 0 ? hashes : null
    case 'others':
      return joined?.others ?? null
    case 'join':
      return sources.has('others') ? (joined?.motions ?? null) : (state.join?.step.outputs.motions ?? null)
    case 'bench':
      return state.bench?.shape?.hash ?? null
    case 'skin':
      return state.mesh?.shape.hash ?? null
    case 'other':
    case 'photos':
    case 'selection':
      return null
  }
}
