import Joi from 'joi'
import { calibrate, type CalibrationMode } from '@holosoma/core/bench'
import { logEvent, pieceState } from '@holosoma/engine'
import { benchDevice } from '@/lib/bench'
import { answer, body, database, existingPiece, Refusal } from '@/lib/server'

const schema = Joi.object<{ event?: unknown; calibrate?: CalibrationMode }>({
  event: Joi.object(),
  calibrate: Joi.string().valid('near', 'far'),
}).xor('event', 'calibrate')

/** Something happened at the bench; or the device is to be calibrated, whose result is then what happened. */
export function POST(request: Request, { params }: { params: Promise<{ id: string }> }): Promise<Response> {
  return answer(async () => {
    const pieceId = await existingPiece((await params).id)
    const asked = await body(request, schema)
    if (asked.calibrate === undefined)
      return Response.json({ session: await logEvent(database(), pieceId, asked.event) })
    const state = await pieceState(database(), pieceId)
    if (!state) throw new Refusal(404, 'There is no such piece on the shelf.')
    const { session } = state
    const warm = session.temperatureC - (session.calibration?.temperatureC ?? 20)
    // Each run sees other noise; what it sees follows from how many there were.
    const result = calibrate(benchDevice(state), asked.calibrate, warm, 1 + session.log.length)
    return Response.json({
      session: await logEvent(database(), pieceId, {
        kind: 'calibrated',
        mode: result.mode,
        residualMm: result.residualMm,
      }),
      result,
    })
  })
}
