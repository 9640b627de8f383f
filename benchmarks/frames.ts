import { captureTake, LAMP_TAKES, TABLETOP_DEVICE } from '../core/src/bench/capture'
import { takeFrame } from '../core/src/bench/frame'
import { DEMO_PIECES } from '../core/src/bench/pieces'
import { axisErrorOf, BenchScene, framePose } from '../core/src/bench/scene'
import { ALL_FAULTS, PLAIN_BENCH } from '../core/src/bench/settings'
import { PointSink } from '../core/src/bench/sink'
import { quietContext } from '../core/src/context'
import { seededRandom } from '../core/src/linear/random'
import { NEW_TAKE } from '../core/src/plan/takes'

/**
 * Time of one frame of 100,000 rays for each piece, the piece filling about a quarter of the picture, all faults on;
 * and of the lamp's two takes.
 */
const QUARTER = 0.25
const PIXELS = Math.ceil(Math.sqrt(1e5))
for (const [name, piece] of Object.entries(DEMO_PIECES)) {
  const sceneOf = (windowMm: number): BenchScene =>
    new BenchScene(
      piece,
      NEW_TAKE,
      { ...TABLETOP_DEVICE, windowMm, nearMm: 60, farMm: 1200 },
      { ...PLAIN_BENCH, faults: ALL_FAULTS },
      1,
    )
  const wide = sceneOf(2 * piece.lengthMm)
  const filled =
    takeFrame(wide, framePose(wide, 0, seededRandom(1), 0, axisErrorOf(1)), PIXELS, seededRandom(1), 0, null, null)
      .onPiece /
    PIXELS ** 2
  const scene = sceneOf(2 * piece.lengthMm * Math.sqrt(filled / QUARTER))
  const times: number[] = []
  let onPiece = 0
  for (let run = 0; run < 9; run++) {
    const pose = framePose(scene, run % scene.views.count, seededRandom(run), 0, axisErrorOf(1))
    const from = performance.now()
    onPiece = takeFrame(scene, pose, PIXELS, seededRandom(run), 0, new PointSink(), null).onPiece
    if (run >= 2) times.push(performance.now() - from)
  }
  times.sort((a, b) => a - b)
  process.stdout.write(
    `${name}: ${times[3].toFixed(0)} ms (${times[0].toFixed(0)}–${times[6].toFixed(0)}) for ` +
      `${PIXELS ** 2} rays, ${onPiece} on the piece\n`,
  )
}
for (const [i, take] of LAMP_TAKES.entries()) {
  const from = performance.now()
  const { cloud } = captureTake(DEMO_PIECES.lamp, take, TABLETOP_DEVICE, 1 + i, quietContext(), {
    faults: ALL_FAULTS,
    spacingMm: 0.37,
  })
  process.stdout.write(
    `lamp, ${take.name}: ${cloud.positions.length / 3} points in ${((performance.now() - from) / 1000).toFixed(1)} s\n`,
  )
}
