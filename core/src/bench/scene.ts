import { quietContext } from '../context'
import {
  compose,
  invertRigid,
  rotationMotion,
  shiftMotion,
  transformPoint,
  transformPoints,
  type Motion,
} from '../linear/rigid'
import { seededRandom } from '../linear/random'
import { DepthMap } from '../view/depth-map'
import {
  GRIP_SHARE,
  place,
  PUTTY_RISE_MM,
  viewpointsOf,
  type Placed,
  type PlannedTake,
  type Viewpoints,
} from '../plan/takes'
import type { DeviceProfile } from '../plan/device-profile'
import { boundsOf, type Bounds, type TriangleMesh } from '../shapes'
import { dotTable } from './dots'
import type { DemoPiece } from './pieces'
import { polygonise } from './polygonise'
import type { BenchSettings } from './settings'

/** What holds the piece: an upright cylinder about the table's axis, standing on the table. */
export interface Holder {
  readonly kind: 'riser' | 'putty' | 'grip'
  readonly radiusMm: number
  readonly topMm: number
}

const MAP_PIXELS = 420
/** Cells over the largest extent: fine enough that the depth maps find every feature, and the field gives the rest. */
const CELLS = 56

const coarse = new WeakMap<DemoPiece, TriangleMesh>()

/**
 * A coarse mesh of a piece whose vertices lie on its true surface; kept, because every frame of every take asks for it.
 */
export function coarseMesh(piece: DemoPiece): TriangleMesh {
  let mesh = coarse.get(piece)
  if (!mesh)
    coarse.set(
      piece,
      (mesh = polygonise(
        piece.field,
        piece.bounds,
        Math.min(piece.lengthMm / CELLS, (piece.wallMm ?? Infinity) / 2.5),
        quietContext(),
        { sharp: false },
      )),
    )
  return mesh
}

/** The piece as it stands on the table for one take, with what the two eyes see of it. */
export class BenchScene {
  readonly mesh: TriangleMesh
  /** Piece → table. Truth, for tests and Practice only. */
  readonly truth: Motion
  readonly placed: Placed
  readonly views: Viewpoints
  readonly holder: Holder | null
  readonly hasTable: boolean
  readonly plateRadiusMm: number
  readonly camera: DepthMap
  readonly projector: DepthMap
  /** Box of the piece in its own coordinates, with a margin. */
  readonly box: Bounds
  readonly pieceDots: Float64Array
  readonly tableDots: Float64Array

  constructor(
    readonly piece: DemoPiece,
    readonly take: PlannedTake,
    readonly device: DeviceProfile,
    readonly settings: BenchSettings,
    seed: number,
  ) {
    this.mesh = coarseMesh(piece)
    const random = seededRandom(seed)
    const wanted = place(take, this.mesh.positions)
    const shift = shiftMotion(settings.placingMm * (random.next() - 0.5), settings.placingMm * (random.next() - 0.5), 0)
    this.truth = compose(shift, wanted.motion)
    const placed = (this.placed = { ...wanted, motion: this.truth })
    const aimed = { ...take, distanceMm: take.distanceMm + settings.fartherMm }
    this.views = viewpointsOf(aimed, device, placed)
    this.hasTable = take.kind !== 'grip' && take.kind !== 'vise'
    // A riser is what it is, wherever the piece is then put on it.
    this.holder = holderOf(take, placed, transformPoints(wanted.motion, this.mesh.positions))
    this.plateRadiusMm = Math.max(64, 0.4 * device.windowMm)
    this.camera = new DepthMap(this.mesh, MAP_PIXELS)
    this.projector = new DepthMap(this.mesh, MAP_PIXELS)
    const { min, max } = boundsOf(this.mesh.positions)
    this.box = { min: [min[0] - 0.5, min[1] - 0.5, min[2] - 0.5], max: [max[0] + 0.5, max[1] + 0.5, max[2] + 0.5] }
    this.pieceDots = dotTable(settings.dots, 'piece')
    this.tableDots = dotTable(settings.dots, 'table')
  }
}

function holderOf(take: PlannedTake, placed: Placed, positions: Float32Array): Holder | null {
  const gripped = take.kind === 'grip' || take.kind === 'vise'
  if (!gripped && take.support === 'plate') return null
  const tall = placed.heightMm - placed.restMm
  const topMm = gripped
    ? placed.restMm + GRIP_SHARE * tall
    : take.support === 'putty'
      ? placed.restMm + PUTTY_RISE_MM
      : placed.restMm
  let foot = 0
  for (let i = 0; i < positions.length; i += 3)
    if (positions[i + 2] < placed.restMm + 0.08 * tall)
      foot = Math.max(foot, Math.hypot(positions[i], positions[i + 1]))
  if (gripped) return { kind: 'grip', radiusMm: foot + 4, topMm }
  return take.support === 'putty'
    ? { kind: 'putty', radiusMm: 0.8 * foot + 3, topMm }
    : { kind: 'riser', radiusMm: Math.max(4, 0.7 * foot), topMm }
}

/**
 * Where one frame was taken from: as the device believes it stood over the table, and as it truly stood to the piece.
 * Vectors of three.
 */
export interface FramePose {
  readonly eye: Float64Array
  readonly right: Float64Array
  readonly up: Float64Array
  readonly forward: Float64Array
  /** Device → piece, true. */
  readonly toPiece: Motion
  readonly projector: readonly [number, number, number]
}

/**
 * The pose of frame `v` with what goes wrong between table and device.
 * @param slipDeg how far the table stood from where the device thought
 */
export function framePose(
  scene: BenchScene,
  v: number,
  random: { gaussian(): number },
  slipDeg: number,
  axisError: Motion,
): FramePose {
  const row = scene.views.rows.subarray(v * 15, v * 15 + 15)
  const m = scene.truth
  const point = (k: number): Float64Array => Float64Array.from(transformPoint(m, row[k], row[k + 1], row[k + 2]))
  const vector = (k: number): Float64Array =>
    Float64Array.from([0, 4, 8].map((r) => m[r] * row[k] + m[r + 1] * row[k + 1] + m[r + 2] * row[k + 2]))
  const eye = point(0),
    forward = vector(6),
    right = vector(9),
    up = vector(12)
  // Device → table, as believed.
  const believed = Float64Array.from([
    right[0],
    up[0],
    forward[0],
    eye[0],
    right[1],
    up[1],
    forward[1],
    eye[1],
    right[2],
    up[2],
    forward[2],
    eye[2],
    0,
    0,
    0,
    1,
  ])
  const { faults } = scene.settings
  let piece = m
  const angle = frameAngle(scene, v)
  // The table turned by −angle about an axis that is not quite the one the device turns the frame back about.
  if (faults.axis)
    piece = [turnAboutZ(angle), axisError, turnAboutZ(-angle), invertRigid(axisError)].reduceRight(
      (p, e) => compose(e, p),
      piece,
    )
  if (slipDeg !== 0) piece = compose(turnAboutZ((slipDeg * Math.PI) / 180), piece)
  if (faults.jitter) {
    const turn = rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], 5e-5 * random.gaussian())
    const s = 0.3 * scene.device.noiseMm
    piece = compose(
      shiftMotion(s * random.gaussian(), s * random.gaussian(), s * random.gaussian()),
      compose(turn, piece),
    )
  }
  const toPiece = compose(invertRigid(piece), believed)
  return { eye, right, up, forward, toPiece, projector: transformPoint(toPiece, scene.device.baselineMm, 0, 0) }
}

const turnAboutZ = (angle: number): Motion => rotationMotion([0, 0, 1], angle)

/** Angle of the table at frame v, radians. */
export function frameAngle(scene: BenchScene, v: number): number {
  return ((v / scene.views.count) * scene.take.sweepDeg * Math.PI) / 180
}

/** Where the table's axis truly runs: up to a few hundredths of a millimetre and a hundredth of a degree off. */
export function axisErrorOf(seed: number): Motion {
  const r = seededRandom(seed ^ 0x5ca1ab1e)
  return compose(
    shiftMotion(0.015 * r.gaussian(), 0.015 * r.gaussian(), 0),
    rotationMotion([r.gaussian(), r.gaussian(), 0], 1e-4 * r.gaussian()),
  )
}

/** Half the field of view that holds the device's window, with room for its corners. */
export function halfView(device: DeviceProfile): number {
  return Math.atan((device.windowMm / 2 / device.standOffMm) * Math.SQRT2) + 0.01
}
