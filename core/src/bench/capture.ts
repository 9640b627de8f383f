import { checkpoint, stage, type RunContext } from '../context'
import { estimateFeatures } from '../cloud/normals'
import { thinEvenly } from '../cloud/thin'
import { GeometryError } from '../errors'
import { seededRandom } from '../linear/random'
import type { Motion } from '../linear/rigid'
import { DEVICE_CLASSES } from '../plan/devices'
import { arcPerFrameMm, type DeviceProfile } from '../plan/device-profile'
import { NEW_TAKE, type PlannedTake } from '../plan/takes'
import { pickPoints, type PointCloud } from '../shapes'
import { takeFrame, type FrameReading } from './frame'
import type { DemoPiece } from './pieces'
import { axisErrorOf, BenchScene, frameAngle, framePose } from './scene'
import { PLAIN_BENCH, type BenchSettings } from './settings'
import { PointSink } from './sink'
import { dotsInFrame, trackedFrames } from './tracking'

/** One frame of a take, for the list on the page. */
export interface FrameRecord extends FrameReading {
  readonly tableDeg: number
  readonly dots: number
  /** Whether the device knew its place; frames that did not are left out. */
  readonly tracked: boolean
}

export interface SimulatedTake {
  readonly name: string
  readonly cloud: PointCloud
  readonly frames: readonly FrameRecord[]
  readonly tableDeg: readonly number[]
  readonly spacingMm: number
  /** Frames the take was to have; fewer were taken when it was ended early. */
  readonly wantedFrames: number
  /** Frames slipped against each other: the table turned too fast. */
  readonly slipped: boolean
  /** Piece coordinates → coordinates of the take. Truth: for tests and Practice only. */
  readonly truth: Motion
  /** What each point truly is, `TRUE_KIND`. Truth too. */
  readonly trueKinds: Uint8Array
}

const tabletop = DEVICE_CLASSES.find((d) => d.id === 'tabletop')!
/** The device of the demo's road: a tabletop scanner that is not the best of its kind. */
export const TABLETOP_DEVICE: DeviceProfile = { ...tabletop, noiseMm: 0.05, maxIncidenceDeg: 75 }
/** Spacing of the demo's takes. */
export const ROAD_SPACING_MM = 0.3

/** The two takes of the demo road. */
export const LAMP_TAKES: readonly PlannedTake[] = [
  { ...NEW_TAKE, name: 'upright', elevationDeg: 48 },
  { ...NEW_TAKE, name: 'side', pose: 'custom', aboutXDeg: 104, headingDeg: 35, elevationDeg: 30 },
]

/** Rays of a frame stand this much wider than the points of a take that a dozen frames fill. */
const RAYS_PER_SPACING = 2.4
/**
 * A table may turn a point by this share of the window from frame to frame; faster, and the device misjudges the angle.
 */
const ARC_SHARE = 0.04
const SLIP_SHARE = 0.12

/** How the simulated bench is set: as it stands by itself, but for what is given. */
export const benchSettings = (over: Partial<BenchSettings> = {}): BenchSettings => ({ ...PLAIN_BENCH, ...over })

/**
 * Captures one take at the simulated bench: every frame of the planned take, fused and thinned, in the table's
 * coordinates (z up, table top at z = 0), with normals, colours, confidence and frame origins. Same seed, same bytes.
 * @param lights one value for each exposure of a series; frames of all go into the take, the surest point of each cell
 * stays
 * @throws RANGE when the piece is heavier than the table carries
 */
export function captureTake(
  piece: DemoPiece,
  take: PlannedTake,
  device: DeviceProfile,
  seed: number,
  context: RunContext,
  over: Partial<BenchSettings> = {},
  lights?: readonly number[],
): SimulatedTake {
  const settings = benchSettings(over)
  if (take.kind === 'turntable' && device.tableLoadG > 0 && piece.massG > device.tableLoadG)
    throw new GeometryError(
      'RANGE',
      `${piece.name} weighs ${piece.massG} g and the table carries ${device.tableLoadG} g; take it ` +
        'without the table, or with another.',
    )
  const scene = new BenchScene(piece, take, device, settings, seed)
  const random = seededRandom(seed * 31 + 7)
  const spacingMm = Math.max(settings.spacingMm ?? 0, device.spacingMm)
  const pitchMm = Math.max(settings.pitchMm ?? spacingMm * RAYS_PER_SPACING, device.spacingMm)
  const pixels = Math.max(16, Math.round(device.windowMm / pitchMm))
  let n = scene.views.count
  const axisError = axisErrorOf(seed)
  const arc =
    take.secondsPerTurn === null ? 0 : arcPerFrameMm(scene.placed.radiusMm, take.secondsPerTurn, device.framesPerSecond)
  const slipped = settings.faults.slip && take.kind === 'turntable' && arc > ARC_SHARE * device.windowMm
  let slipDeg = 0
  const sink = new PointSink()
  const origins = new Float64Array(n * 3)
  const poses = []
  const readings: FrameReading[] = []
  const dots: number[] = []
  const tracing = stage(context, 0, 0.8)
  for (let v = 0; v < n; v++) {
    checkpoint(tracing, v, n, `Taking ${take.name}, frame ${v + 1} of ${n}`)
    if (v > 0 && context.endEarly?.()) {
      n = v
      break
    }
    if (slipped) slipDeg += ((SLIP_SHARE * arc) / scene.placed.radiusMm) * (180 / Math.PI) * random.gaussian()
    const pose = framePose(scene, v, random, slipDeg, axisError)
    origins.set(pose.eye, v * 3)
    const series = (lights ?? [settings.light]).map((light) =>
      takeFrame(
        light === settings.light
          ? scene
          : Object.assign(Object.create(scene) as BenchScene, { settings: { ...settings, light } }),
        pose,
        pixels,
        random,
        v,
        sink,
        null,
      ),
    )
    readings.push(series.length === 1 ? series[0] : mergeReadings(series))
    dots.push(settings.dots.length > 0 ? dotsInFrame(scene, pose) : 0)
    poses.push(pose)
  }
  const tracked = trackedFrames(device, poses, readings, dots, piece.contrast)
  const raw = sink.cloud(origins.slice(0, n * 3))
  const kept = tracked.every((t) => t === 1)
    ? null
    : Int32Array.from(raw.frame!.keys()).filter((i) => tracked[raw.frame![i]] === 1)
  const known = kept ? pickPoints(raw, kept) : raw
  const frames = readings.map((r, v): FrameRecord => ({
    ...r,
    tableDeg: (frameAngle(scene, v) * 180) / Math.PI,
    dots: dots[v],
    tracked: tracked[v] === 1,
  }))
  if (known.positions.length === 0) throw new GeometryError('EMPTY', nothingTaken(frames, device))
  const thinned = thinEvenly(known, spacingMm, (lights?.length ?? 1) > 1)
  const fused = pickPoints(known, thinned)
  const kinds = sink.trueKinds()
  const { normals } = estimateFeatures(fused, stage(context, 0.8, 1))
  return {
    name: take.name,
    cloud: { ...fused, normals },
    frames,
    tableDeg: frames.map((f) => f.tableDeg),
    spacingMm,
    wantedFrames: scene.views.count,
    slipped,
    truth: scene.truth,
    trueKinds: Uint8Array.from(thinned, (i) => kinds[kept ? kept[i] : i]),
  }
}

/**
 * Over a series a place is lost only where no exposure took it; what each reading counts as taken is at most what the
 * best one took.
 */
function mergeReadings(series: readonly FrameReading[]): FrameReading {
  const best = series.reduce((a, b) => (b.taken > a.taken ? b : a))
  const least = (pick: (r: FrameReading) => number): number => Math.min(...series.map(pick))
  return {
    ...best,
    clipped: least((r) => r.clipped),
    starved: least((r) => r.starved),
    zones: best.zones.map((z, k) => ({
      pixels: z.pixels,
      clipped: least((r) => r.zones[k].clipped),
      starved: least((r) => r.zones[k].starved),
    })),
  }
}

function nothingTaken(frames: readonly FrameRecord[], device: DeviceProfile): string {
  const sum = (pick: (f: FrameRecord) => number): number => frames.reduce((s, f) => s + pick(f), 0)
  const causes = [
    { n: sum((f) => f.tooNear), text: `the piece is nearer than ${device.nearMm} mm` },
    { n: sum((f) => f.tooFar), text: `the piece is farther than ${device.farMm} mm` },
    { n: sum((f) => f.clipped), text: 'everything is too bright' },
    { n: sum((f) => f.starved), text: 'too little light comes back' },
    { n: frames.every((f) => !f.tracked) ? Infinity : 0, text: 'the device never found its place' },
  ].sort((a, b) => b.n - a.n)
  return `Not one point was taken: ${causes[0].n > 0 ? causes[0].text : 'the piece is not in the window'}.`
}

/** Where a take with this seed has put the piece: piece coordinates → take. Truth, for tests and Practice. */
export function trueMotion(
  piece: DemoPiece,
  take: PlannedTake,
  seed: number,
  device: DeviceProfile = TABLETOP_DEVICE,
): Motion {
  return new BenchScene(piece, take, device, PLAIN_BENCH, seed).truth
}

export { roughMotion } from './rough'
