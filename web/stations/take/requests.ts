import { checkParams, operationNamed, simulateTake } from '@holosoma/core'
import type { SettleParams } from '@holosoma/core/operations'
import {
  createTake,
  isBusy,
  logEvent,
  submitJob,
  updateTake,
  type Database,
  type JobRequest,
  type PieceState,
  type TakeState,
} from '@holosoma/engine'
import { benchParams } from '@/lib/bench'
import { frameCount, framesPlaced, plannedOf } from '@/lib/chain'
import { Refusal } from '@/lib/server'
import { calledThen, joinedOthers, unlocked } from '@/requests/places'
import type { Asked, Ground, Rules } from '@/requests/request'

export const takeRules: Rules = {
  'take.simulate': { submit: takeAtBench },
  'take.settleFrames': { submit: settleFrames },
  'take.complete': {
    takes: (_state, ready) => ready.filter((t) => t.shape!.kind === 'cloud' && t.inJoin),
    refuse: (_state, { takes }) => (takes.length === 0 ? 'There is no take yet to look at.' : null),
    params: completeParams,
  },
  'take.goOn': {
    params: (state, { takes }, asked) => ({
      names: takes.map((t) => t.name),
      planned: takes.map((t) => plannedOf(state, t.id)),
      sameSetup: asked.params.sameSetup === true,
    }),
  },
}

/** A take at the simulated bench: a new one, or a retake, which replaces and leaves the old one in the ledger. */
async function takeAtBench(db: Database, pieceId: number, state: PieceState, asked: Asked): Promise<number> {
  if (!state.piece.benchPiece)
    throw new Refusal(409, 'The simulated bench does not have this piece; drop scan files instead.')
  const params = checkParams(simulateTake, {
    ...benchParams(state),
    piece: state.piece.benchPiece,
    ...chosenBy(asked.params),
  })
  const emptyBench = asked.params.emptyBench === true
  const again = emptyBench ? (state.bench ?? undefined) : state.takes.find((t) => t.id === asked.takeId)
  if (again?.locked) throw new Refusal(409, `“${again.name}” is locked; unlock it on the contact sheet first.`)
  if (again && (await isBusy(db, pieceId, [`take:${again.id}`])))
    throw new Refusal(409, `“${again.name}” is being worked on just now; wait until it ends.`)
  const take = again ?? (await createTake(db, pieceId, asked.takeName ?? 'take', asked.pose ?? ''))
  if (emptyBench) await updateTake(db, take.id, { bench: true })
  await logEvent(db, pieceId, emptyBench ? { kind: 'reference' } : { kind: 'taken', name: take.name })
  return submitJob(db, pieceId, `take:${take.id}`, simulateTake.onPiece!.doing([take.name]), {
    kind: 'operation',
    operation: simulateTake.name,
    params: { ...params },
    inputs: {},
  })
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

type Settled = Extract<JobRequest, { kind: 'settle' }>['of']

/** Frames matched with those of all other takes: of one take that is named, or of all that may move. */
async function settleFrames(db: Database, pieceId: number, state: PieceState, asked: Asked): Promise<number> {
  const of = settled(state, asked.takeId)
  for (const { track } of of)
    if (await isBusy(db, pieceId, [track]))
      throw new Refusal(409, 'One of these takes is being worked on just now; wait until it ends, or cancel it.')
  const title =
    of.length === 1
      ? `Matching the frames of “${of[0].params.names[0]}” with the other takes`
      : 'Matching the frames of all takes'
  return submitJob(db, pieceId, 'join', title, { kind: 'settle', of })
}

function settled(state: PieceState, takeId: number | undefined): Settled {
  const ready = state.takes.filter((t) => t.shape?.kind === 'cloud' && t.inJoin)
  const placed = (t: TakeState): SettleParams['placed'][number] =>
    t.locked || frameCount(state, t.id) < 2 ? 'whole' : framesPlaced(state, t.id)
  const free = takeId === undefined ? ready.filter((t) => placed(t) !== 'whole') : [unlocked(ready, takeId)]
  if (free.length === 0 || free.some((t) => placed(t) === 'whole'))
    throw new Refusal(409, 'No take here knows its frames and is unlocked.')
  return free.map((take) => {
    const joined = joinedOthers(state, take)
    if (!joined)
      throw new Refusal(409, `“${take.name}” is not joined to other takes as they stand; match the takes first.`)
    const { takes, ...of } = joined
    const all = [take, ...takes]
    return {
      track: `take:${take.id}`,
      inputs: { take: take.shape!.hash, ...of },
      params: checkParams(operationNamed('take.settleFrames'), {
        names: all.map((t) => calledThen(state, t)),
        placed: all.map(placed),
      }) as unknown as SettleParams,
    }
  })
}

/** What the look at what is missing needs to know besides the points. */
function completeParams(state: PieceState, { takes }: Ground): Record<string, unknown> {
  const names = takes.map((t) => t.name)
  const motions =
    state.join && !state.join.stale && names.every((n) => Object.hasOwn(state.join!.motions, n))
      ? state.join.motions
      : null
  const plan = state.plan?.content
  const fixed = takes.find((t) => t.fixed) ?? takes[0]
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
