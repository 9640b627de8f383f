import Joi from 'joi'
import { checkParams, operationNamed } from '@holosoma/core'
import type { SettleParams } from '@holosoma/core/operations/settle-frames'
import { requirementsOf } from '@holosoma/core/brief/requirements'
import {
  createTake,
  isBusy,
  logEvent,
  pieceState,
  submitJob,
  updateTake,
  type JobRequest,
  type PieceState,
  type TakeState,
  type Track,
} from '@holosoma/engine'
import { benchParams } from '@/lib/bench'
import { chainOf, frameCount, framesPlaced, plannedOf } from '@/lib/chain'
import { withoutPlace } from '@/lib/joining'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'

interface Submit {
  operation: string
  params: Record<string, unknown>
  takeId?: number
  takeName?: string
  pose?: string
}

const schema = Joi.object<Submit>({
  operation: Joi.string().max(60).required(),
  params: Joi.object().unknown(true).default({}),
  takeId: Joi.number()
    .integer()
    .min(1)
    .max(2 ** 31 - 1),
  takeName: nameSchema('takeName').trim().min(1),
  pose: nameSchema('pose').trim(),
})

/** Names an operation and its parameters; which stored shapes it works on follows from where the heads stand. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = await existingPiece((await params).id)
    const asked = await body(request, schema)
    const operation = operationNamed(asked.operation)
    const state = await pieceState(db, pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    if (operation.name === 'take.settleFrames') {
      const of = settled(state, asked.takeId)
      for (const { track } of of)
        if (await isBusy(db, pieceId, [track]))
          throw new Refusal(409, 'One of these takes is being worked on just now; wait until it ends, or cancel it.')
      const id = await submitJob(
        db,
        pieceId,
        'join',
        of.length === 1
          ? `Matching the frames of “${of[0]!.params.names[0]}” with the other takes`
          : 'Matching the frames of all takes',
        { kind: 'settle', of },
      )
      return Response.json({ id }, { status: 202 })
    }
    const { track, inputs, given, title, output } = await target(state, asked)
    const checked = checkParams(operation, given)
    if (operation.name !== 'take.simulate' && (await isBusy(db, pieceId, [track])))
      throw new Refusal(409, 'That is being worked on just now; wait until it ends, or cancel it.')
    if (operation.name === 'take.simulate') {
      const emptyBench = asked.params.emptyBench === true
      const again = emptyBench ? (state.bench ?? undefined) : state.takes.find((t) => t.id === asked.takeId)
      if (again?.locked) throw new Refusal(409, `“${again.name}” is locked; unlock it on the contact sheet first.`)
      if (again && (await isBusy(db, pieceId, [`take:${again.id}`])))
        throw new Refusal(409, `“${again.name}” is being worked on just now; wait until it ends.`)
      // A retake replaces, and leaves the old one in the ledger.
      const take = again ?? (await createTake(db, pieceId, asked.takeName ?? 'take', asked.pose ?? ''))
      if (emptyBench) await updateTake(db, take.id, { bench: true })
      await logEvent(db, pieceId, emptyBench ? { kind: 'reference' } : { kind: 'taken', name: take.name })
      const id = await submitJob(db, pieceId, `take:${take.id}`, `Taking “${take.name}”`, {
        kind: 'operation',
        operation: operation.name,
        params: checked as Record<string, unknown>,
        inputs: {},
      })
      return Response.json({ id }, { status: 202 })
    }
    const id = await submitJob(db, pieceId, track, title, {
      kind: 'operation',
      operation: operation.name,
      params: checked as Record<string, unknown>,
      inputs,
      ...(output && { output }),
    })
    return Response.json({ id }, { status: 202 })
  })
}

interface Target {
  track: Track
  inputs: Record<string, string | string[]>
  given: Record<string, unknown>
  title: string
  output?: string
}

async function target(state: PieceState, asked: Submit): Promise<Target> {
  const ready = state.takes.filter((t) => t.shape)
  const hashes = ready.map((t) => t.shape!.hash)
  const names = ready.map((t) => t.name)
  // Who the takes are, beside what they are called.
  const of = ready.map((t) => String(t.id))
  switch (asked.operation) {
    case 'take.simulate':
      if (!state.piece.benchPiece)
        throw new Refusal(409, 'The simulated bench does not have this piece; drop scan files instead.')
      return {
        track: 'join',
        inputs: {},
        given: { ...benchParams(state), piece: state.piece.benchPiece, ...chosenBy(asked.params) },
        title: 'Taking',
      }
    case 'take.complete': {
      const clouds = ready.filter((t) => t.shape!.kind === 'cloud')
      if (clouds.length === 0) throw new Refusal(409, 'There is no take yet to look at.')
      return {
        track: 'check',
        inputs: { takes: clouds.map((t) => t.shape!.hash), of: clouds.map((t) => String(t.id)) },
        given: completeParams(state, clouds),
        title: 'Looking for what is missing',
      }
    }
    case 'tidy.trimTable':
    case 'tidy.removeStrays':
    case 'tidy.thin':
    case 'tidy.thinCurved':
    case 'tidy.smooth':
    case 'tidy.removeGrazing':
    case 'tidy.removeHolder':
    case 'tidy.removeDots':
    case 'tidy.removeFarFrames':
    case 'tidy.removeMixed':
    case 'tidy.trimPlane':
    case 'tidy.subtractBench': {
      const take = unlocked(ready, asked.takeId)
      const bench = asked.operation === 'tidy.subtractBench' ? benchOf(state) : null
      const plane = asked.operation === 'tidy.trimPlane'
      return {
        track: `take:${take.id}`,
        inputs: { take: take.shape!.hash, ...(bench && { bench }), ...(plane && joinedOthers(state, take)) },
        given: { ...asked.params, ...(plane && { names: namesFrom(state, ready, take) }) },
        title: `Tidying “${take.name}”`,
      }
    }
    case 'tidy.cut': {
      const take = unlocked(ready, asked.takeId)
      const { selection, ...given } = asked.params
      if (typeof selection !== 'string') throw new Refusal(400, 'Say which selection is to be cut.')
      return {
        track: `take:${take.id}`,
        inputs: { take: take.shape!.hash, selection, ...joinedOthers(state, take) },
        given: { ...given, names: namesFrom(state, ready, take) },
        title: `Cutting “${take.name}”`,
      }
    }
    case 'take.matchFrames': {
      const take = unlocked(ready, asked.takeId)
      return {
        track: `take:${take.id}`,
        inputs: { take: take.shape!.hash },
        given: asked.params,
        title: `Matching the frames of “${take.name}”`,
      }
    }
    case 'take.goOn': {
      const pair = [unlocked(ready, asked.takeId), unlocked(ready, Number(asked.params.with))]
      if (pair[0] === pair[1] || pair.some((t) => t.shape!.kind !== 'cloud'))
        throw new Refusal(409, 'A take goes on with another take of points.')
      return {
        track: `take:${pair[0]!.id}`,
        inputs: { takes: pair.map((t) => t.shape!.hash) },
        title: `“${pair[0]!.name}” goes on with “${pair[1]!.name}”`,
        given: {
          names: pair.map((t) => t.name),
          planned: pair.map((t) => plannedOf(state, t.id)),
          sameSetup: asked.params.sameSetup === true,
        },
      }
    }
    case 'join.match': {
      if (ready.length < 2) throw new Refusal(409, 'Joining needs two takes or more; take or import another one.')
      const fixed = ready.find((t) => t.fixed) ?? ready[0]!
      // What stays joined from before is a start for the next match; by shape nothing is taken as known.
      const { byShape, ...given } = asked.params
      // A take that was picked on anew comes to where the picks put it.
      const picked = [...listed(given.picks), ...listed(given.areas)].map((p) => p.b?.take)
      const known = Object.fromEntries(
        Object.entries(byShape === true ? {} : (state.join?.motions ?? {})).filter(
          ([n]) => names.includes(n) && !picked.includes(n),
        ),
      )
      // Locked takes keep their places to the fixed one.
      const locked = ready.filter((t) => t !== fixed && t.locked && Object.hasOwn(known, t.name))
      const groups = locked.length > 0 ? [[fixed.name, ...locked.map((t) => t.name)]] : []
      return {
        track: 'join',
        inputs: { takes: hashes, of },
        given: { names, fixed: fixed.name, initial: known, groups, toleranceMm: toleranceOf(state), ...given },
        title: byShape === true ? 'Matching the takes by shape' : 'Matching the takes',
      }
    }
    case 'join.accept': {
      if (!state.join || state.join.stale)
        throw new Refusal(409, 'There is no join that stands; match the takes first.')
      if (state.join.step.figures.verdict === 'sound')
        throw new Refusal(409, 'This join is sound; there is nothing to accept against advice.')
      return {
        track: 'join',
        inputs: { motions: state.join.step.outputs.motions! },
        given: { reason: asked.params.reason, verdict: state.join.step.figures.verdict },
        title: 'Keeping the join',
      }
    }
    case 'skin.make': {
      if (ready.length === 0) throw new Refusal(409, 'There is no take yet to make a skin from.')
      if (ready.length > 1 && !state.join) throw new Refusal(409, 'Join the takes before making the skin.')
      const unplaced = ready.length > 1 ? withoutPlace(state, ready) : null
      if (unplaced) throw new Refusal(409, unplaced)
      return {
        track: 'mesh',
        inputs: { takes: hashes, of, ...(state.join && { motions: state.join.step.outputs.motions! }) },
        given: { up: upOf(state, ready), ...asked.params, names: ready.map((t) => calledThen(state, t)) },
        title: 'Making the skin',
      }
    }
    case 'skin.adopt': {
      const take = ready.find((t) => t.id === asked.takeId && t.shape!.kind === 'mesh')
      if (!take) throw new Refusal(409, 'Only an imported mesh can be taken as the skin.')
      return {
        track: 'mesh',
        inputs: { mesh: take.shape!.hash },
        given: asked.params,
        title: `Checking “${take.name}”`,
      }
    }
    default: {
      if (!state.mesh) throw new Refusal(409, 'There is no skin yet.')
      const title =
        {
          'mend.closeHoles': 'Closing holes',
          'mend.health': 'Checking the skin',
          'mend.simplify': 'Simplifying',
          'size.scale': 'Scaling',
        }[asked.operation] ?? asked.operation
      if (asked.operation === 'size.scale')
        return { track: 'mesh', inputs: { shape: state.mesh.shape.hash }, given: asked.params, title, output: 'mesh' }
      return { track: 'mesh', inputs: { mesh: state.mesh.shape.hash }, given: asked.params, title }
    }
  }
}

/** What the brief allows, where there is one. */
const toleranceOf = (state: PieceState): number | null =>
  state.brief ? requirementsOf(state.brief.content).toleranceMm : null

/** Which way is up for the fixed take: away from the table that was found under it. Null where none was. */
function upOf(state: PieceState, ready: readonly TakeState[]): number[] | null {
  const fixed = ready.find((t) => t.fixed) ?? ready[0]!
  const table = chainOf(state, `take:${fixed.id}`).findLast(
    (s) => s.operation === 'tidy.trimTable' && s.figures.table === true,
  )
  return table ? [Number(table.figures.planeX), Number(table.figures.planeY), Number(table.figures.planeZ)] : null
}

/** What the last match called a take: so its stored motions name it, whatever it is called now. */
const calledThen = (state: PieceState, take: TakeState): string => state.join?.calledThen[take.id] ?? take.name

/** This take, then the others, as the last match called them. */
const namesFrom = (state: PieceState, ready: readonly TakeState[], take: TakeState): string[] =>
  [take, ...ready.filter((t) => t !== take && t.shape!.kind === 'cloud')].map((t) => calledThen(state, t))

/** The empty bench's points. */
function benchOf(state: PieceState): string {
  if (!state.bench?.shape) throw new Refusal(409, 'The empty bench is not known; take it, or say which take shows it.')
  return state.bench.shape.hash
}

const listed = (value: unknown): { b?: { take?: string } }[] =>
  Array.isArray(value) ? (value as { b?: { take?: string } }[]) : []

/**
 * The other takes with their motions, where all are joined: what tells whether a cut takes surface that no other has.
 */
function joinedOthers(state: PieceState, take: TakeState): { others?: string[]; motions?: string } {
  const others = state.takes.filter((t) => t.shape?.kind === 'cloud' && t !== take)
  if (
    !state.join ||
    state.join.stale ||
    others.length === 0 ||
    [take, ...others].some((t) => !Object.hasOwn(state.join!.motions, t.name))
  )
    return {}
  return { others: others.map((t) => t.shape!.hash), motions: state.join.step.outputs.motions! }
}

/**
 * Takes whose frames may be matched with those of all others, each as its own act wants it: one that is named, or all.
 */
function settled(state: PieceState, takeId: number | undefined): Extract<JobRequest, { kind: 'settle' }>['of'] {
  const ready = state.takes.filter((t) => t.shape?.kind === 'cloud')
  const placed = (t: TakeState): SettleParams['placed'][number] =>
    t.locked || frameCount(state, t.id) < 2 ? 'whole' : framesPlaced(state, t.id)
  const free = takeId === undefined ? ready.filter((t) => placed(t) !== 'whole') : [unlocked(ready, takeId)]
  if (free.length === 0 || free.some((t) => placed(t) === 'whole'))
    throw new Refusal(409, 'No take here knows its frames and is unlocked.')
  return free.map((take) => {
    const joined = joinedOthers(state, take)
    if (!joined.others)
      throw new Refusal(409, `“${take.name}” is not joined to other takes as they stand; match the takes first.`)
    const all = [take, ...ready.filter((t) => t !== take)]
    return {
      track: `take:${take.id}`,
      inputs: { take: take.shape!.hash, others: joined.others, motions: joined.motions! },
      params: checkParams(operationNamed('take.settleFrames'), {
        names: all.map((t) => calledThen(state, t)),
        placed: all.map(placed),
      }) as unknown as SettleParams,
    }
  })
}

function unlocked(ready: readonly TakeState[], takeId: number | undefined): TakeState {
  const take = ready.find((t) => t.id === takeId)
  if (!take) throw new Refusal(404, 'That take is not here.')
  if (take.locked) throw new Refusal(409, `“${take.name}” is locked; unlock it on the contact sheet first.`)
  return take
}

/**
 * Of a take at the bench the page chooses the take, its light and the seed; device, temperature, coat and the rest are
 * as the bench stands.
 */
function chosenBy({ take, lights, seed, emptyBench }: Record<string, unknown>): Record<string, unknown> {
  return {
    take,
    ...(lights !== undefined && { lights }),
    ...(seed !== undefined && { seed }),
    ...(emptyBench === true && { emptyBench }),
  }
}

/** What the look at what is missing needs to know besides the points. */
function completeParams(state: PieceState, takes: readonly TakeState[]): Record<string, unknown> {
  const names = takes.map((t) => t.name)
  const motions =
    state.join && !state.join.stale && names.every((n) => Object.hasOwn(state.join!.motions, n))
      ? state.join.motions
      : null
  const plan = state.plan?.content
  const fixed = takes.find((t) => t.fixed) ?? takes[0]!
  const promised = state.plan?.outlook?.figure.match(/^([\d.]+) %/)?.[1]
  return {
    names,
    planned: takes.map((t) => plannedOf(state, t.id)),
    motions,
    fixed: fixed.name,
    toCome: (plan?.takes ?? []).filter((t) => !names.includes(t.name)),
    ...(plan && { device: plan.device }),
    ...(state.brief && { brief: state.brief.content }),
    promised: promised === undefined ? null : Number(promised) / 100,
  }
}
