import { expose, transfer } from 'comlink'
import {
  layDots,
  takeFrame,
  type Picture,
  readMeters,
  type Meters,
  DEMO_PIECES,
  axisErrorOf,
  BenchScene,
  framePose,
  ALL_FAULTS,
  PLAIN_BENCH,
  dotsInFrame,
} from '@holosoma/core/bench'
import { isGeometryError } from '@holosoma/core/errors'
import { seededRandom } from '@holosoma/core/linear'
import {
  type DeviceProfile,
  CoverageScene,
  type DotSettings,
  cutFacets,
  restartAfter,
  type Restart,
  buildStandIn,
  type Size,
  type StandIn,
  type PlannedTake,
} from '@holosoma/core/plan'

export interface LiveView {
  readonly picture: Picture
  readonly meters: Meters
  readonly views: number
  /** Dots the frame sees; null where none are used. */
  readonly dots: number | null
}

export interface LiveRequest {
  readonly piece: string
  readonly take: PlannedTake
  readonly device: DeviceProfile
  readonly light: number
  readonly fartherMm: number
  readonly coatMm: number
  readonly clippingPercent: number
  readonly dots: DotSettings
  /** Which view of the take. */
  readonly view: number
  readonly pixels: number
}

const SEED = 1
let kept: { key: string; scene: BenchScene } | null = null

/** Facets of the stand-in that are looked at for where to start again: a share is all that is asked. */
const RESTART_FACETS = 4000
let standing: { key: string; scene: CoverageScene } | null = null

export interface RestartRequest {
  readonly standIn: StandIn
  readonly size: Size
  readonly before: readonly PlannedTake[]
  readonly take: PlannedTake
  readonly device: DeviceProfile
}

const worker = {
  /**
   * Where to begin after a turn, judged on the plan's stand-in; null where a file stands in, which only the plan's own
   * worker holds.
   */
  restart(r: RestartRequest): Restart | null {
    try {
      const key = JSON.stringify([r.standIn, r.size])
      if (standing?.key !== key) {
        const mesh = buildStandIn(r.standIn, r.size)
        standing = { key, scene: new CoverageScene(mesh, cutFacets(mesh, RESTART_FACETS)) }
      }
      return restartAfter(standing.scene, r.before, r.take, r.device)
    } catch (error) {
      if (isGeometryError(error)) return null
      throw error
    }
  },
  /** What the device sees just now, before anything is taken. */
  look(r: LiveRequest): LiveView | { error: string } {
    try {
      return lookNow(r)
    } catch (error) {
      if (isGeometryError(error)) return { error: error.message }
      throw error
    }
  },
}

function lookNow(r: LiveRequest): LiveView {
  const piece = DEMO_PIECES[r.piece]
  const key = JSON.stringify([r.piece, r.take, r.device, r.fartherMm, r.light, r.coatMm, r.dots])
  if (kept?.key !== key)
    kept = {
      key,
      scene: new BenchScene(
        piece,
        r.take,
        r.device,
        {
          ...PLAIN_BENCH,
          faults: ALL_FAULTS,
          light: r.light,
          fartherMm: r.fartherMm,
          coatMm: r.coatMm,
          dots: layDots(piece, r.take, r.dots),
        },
        SEED,
      ),
    }
  const { scene } = kept
  const n = r.pixels * r.pixels
  const picture: Picture = {
    pixels: r.pixels,
    state: new Uint8Array(n),
    plain: new Uint8Array(n),
    pattern: new Uint8Array(n),
    depthMm: new Float32Array(n),
  }
  const pose = framePose(scene, Math.min(r.view, scene.views.count - 1), seededRandom(SEED), 0, axisErrorOf(SEED))
  const reading = takeFrame(scene, pose, r.pixels, seededRandom(SEED), 0, null, picture)
  const live: LiveView = {
    picture,
    meters: readMeters(reading, r.device, piece, r.clippingPercent),
    views: scene.views.count,
    dots: r.dots.where === 'none' ? null : dotsInFrame(scene, pose),
  }
  return transfer(live, [picture.state.buffer, picture.plain.buffer, picture.pattern.buffer, picture.depthMm.buffer])
}

export type BenchWorker = typeof worker
expose(worker)
