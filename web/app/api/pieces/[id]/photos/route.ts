import Joi from 'joi'
import { isBusy, logEvent, pieceState, submitJob, type PieceState } from '@holosoma/engine'
import { photosPerTurn, DEMO_PIECES, NO_EFFECTS } from '@holosoma/core/bench'
import { PHONE } from '@holosoma/core/plan'
import { benchDevice, benchTakes } from '@/lib/bench'
import { photosHere } from '@/lib/photos'
import { nameSchema } from '@/lib/schemas'
import { answer, body, database, idFrom, Refusal } from '@/lib/server'

interface Asked {
  take?: string
  perTurn: number
  intervalSeconds: number
  stops: number
  missingOnly: boolean
  files?: { name: string; upload: string }[]
  takeId: number | null
}

const schema = Joi.object<Asked>({
  take: nameSchema('takeName').trim(),
  perTurn: Joi.number().integer().min(4).max(180).default(24),
  intervalSeconds: Joi.number().min(1).max(60).default(8),
  stops: Joi.number().min(-3).max(3).default(0),
  missingOnly: Joi.boolean().default(false),
  files: Joi.array()
    .min(1)
    .max(2000)
    .items(
      Joi.object({
        name: nameSchema('fileName').required(),
        upload: Joi.string().hex().length(64).required(),
      }),
    ),
  takeId: Joi.number().integer().allow(null).default(null),
}).xor('take', 'files')

/**
 * Photos from the bench's camera phone, all of a turn or only those that are missing; or photos that were stored as
 * files.
 */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const db = database()
    const pieceId = idFrom((await params).id)
    const asked = await body(request, schema)
    const state = await pieceState(db, pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    if (await isBusy(db, pieceId, ['photos']))
      throw new Refusal(409, 'Photos are being taken just now; wait until they are here, or cancel.')
    if (asked.files) {
      const take = state.takes.find((t) => t.id === asked.takeId)
      const id = await submitJob(db, pieceId, 'photos', `Reading ${asked.files.length} photos`, {
        kind: 'photoImport',
        files: asked.files,
        takeId: take?.id ?? null,
        pose: take?.name ?? '',
      })
      return Response.json({ id }, { status: 202 })
    }
    return Response.json({ id: await run(state, asked) }, { status: 202 })
  })
}

async function run(state: PieceState, asked: Asked): Promise<number> {
  const db = database()
  const pieceId = state.piece.id
  const name = state.piece.benchPiece
  const piece = name === null ? undefined : DEMO_PIECES[name]
  if (!piece || name === null)
    throw new Refusal(409, 'The simulated bench does not have this piece; drop photos as files instead.')
  const take = benchTakes(state).find((t) => t.name === asked.take)
  if (!take) throw new Refusal(404, `No take called “${asked.take}” is planned.`)
  const camera = state.plan?.content.photos ?? PHONE
  const here = photosHere(state.photos, take.name, asked.perTurn)
  const wanted = Array.from({ length: asked.perTurn }, (_, i) => i).filter((i) => !asked.missingOnly || !here.has(i))
  if (wanted.length === 0) throw new Refusal(409, `All ${asked.perTurn} photos of “${take.name}” are here already.`)
  await logEvent(db, pieceId, { kind: 'photos', name: take.name, count: wanted.length })
  return submitJob(db, pieceId, 'photos', `Photos of “${take.name}”`, {
    kind: 'photos',
    piece: name,
    take,
    takeId: state.takes.find((t) => t.name === take.name)?.id ?? null,
    device: benchDevice(state),
    distanceMm: photosPerTurn(camera, piece, take).distanceMm,
    wanted,
    here: asked.missingOnly ? [...here] : [],
    seed: 1,
    at: Date.now(),
    phone: {
      camera,
      perTurn: asked.perTurn,
      intervalSeconds: asked.intervalSeconds,
      elevationDeg: Math.max(10, Math.min(60, take.elevationDeg)),
      stops: asked.stops,
      keptAwake: state.session.phoneAwake,
      // What its lens does is known and taken off; what it chooses for each photo is for Colour to find.
      effects: { ...NO_EFFECTS, shadows: true, softness: true, drift: true },
    },
  })
}
