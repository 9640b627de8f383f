import { checkpoint, quietContext, stage, type RunContext } from '../context'
import { estimateFeatures } from '../cloud/normals'
import { compose, identityMotion, invertRigid, rotationMotion, transformPoint, transformPoints, type Motion } from '../linear/rigid'
import { seededRandom } from '../linear/random'
import { thinEvenly } from '../cloud/thin'
import { boundsOf, pickPoints, type Bounds, type PointCloud } from '../shapes'
import { rangeNoiseMm } from '../plan/device-profile'
import type { Device } from './device'
import { implicitNormal, type Implicit } from './implicit'
import type { DemoPiece } from './lamp'
import { polygonise } from './polygonise'

/** One take at the simulated bench: the piece stands in `pose` on the table, which turns in equal steps before the device. */
export interface TakePlan {
  readonly name: string
  /** How the piece sits: turns about x, then y, in degrees, from upright; it is then set down on the table. */
  readonly pose: { readonly aboutXDeg: number; readonly aboutYDeg: number; readonly headingDeg: number }
  readonly steps: number
  readonly elevationDeg: number
}

export interface SimulatedTake {
  readonly name: string
  readonly cloud: PointCloud
  readonly tableDeg: readonly number[]
  /** Piece coordinates → coordinates of the take. Truth: for tests and Practice only. */
  readonly truth: Motion
}

/** The two takes of the demo road. */
export const LAMP_TAKES: readonly TakePlan[] = [
  { name: 'upright', pose: { aboutXDeg: 0, aboutYDeg: 0, headingDeg: 0 }, steps: 12, elevationDeg: 48 },
  { name: 'side', pose: { aboutXDeg: 104, aboutYDeg: 0, headingDeg: 35 }, steps: 12, elevationDeg: 30 },
]

const TABLE_RADIUS_MM = 64
/** Off-centre placing by hand, mm. */
const PLACING_MM = 4

/**
 * Captures one take: frames by ray tracing the piece and the table from the camera eye, kept where the projector eye sees the point
 * too, inside window and depth band and below the incidence limit; range noise along the ray. All frames are brought into the
 * table's coordinates (z up, table top at z = 0) by the known turns.
 */
export function captureTake(piece: DemoPiece, plan: TakePlan, device: Device, seed: number, context: RunContext): SimulatedTake {
  const random = seededRandom(seed)
  const { truth, box } = placeByHand(piece, plan, random)
  const inverse = invertRigid(truth)
  const [a, b, c, d, e, f, g, h, i, j, k, l] = inverse as unknown as number[]
  // World = coordinates of the take. The piece's field is asked in its own coordinates.
  const field: Implicit = (x, y, z) => piece.field(a! * x + b! * y + c! * z + d!, e! * x + f! * y + g! * z + h!, i! * x + j! * y + k! * z + l!)
  const positions: number[] = []
  const frames: number[] = []
  const origins = new Float64Array(plan.steps * 3)
  const tableDeg: number[] = []
  const tracing = stage(context, 0, 0.8)
  for (let s = 0; s < plan.steps; s++) {
    checkpoint(tracing, s, plan.steps, `Taking ${plan.name}, frame ${s + 1} of ${plan.steps}`)
    const angle = (s / plan.steps) * 2 * Math.PI
    tableDeg.push((s / plan.steps) * 360)
    captureFrame(field, box, device, angle, (plan.elevationDeg * Math.PI) / 180, random, (x, y, z) => {
      positions.push(x, y, z)
      frames.push(s)
    }, origins, s)
  }
  const raw: PointCloud = {
    kind: 'cloud', positions: Float32Array.from(positions), frame: Uint16Array.from(frames), frameOrigins: origins,
  }
  const fused = pickPoints(raw, thinEvenly(raw, device.fusedSpacingMm))
  const { normals } = estimateFeatures(fused, stage(context, 0.8, 1))
  return { name: plan.name, cloud: { ...fused, normals }, tableDeg, truth }
}

/** Where a take with this seed has put the piece: piece coordinates → take. Truth, for tests and Practice. */
export function trueMotion(piece: DemoPiece, plan: TakePlan, seed: number): Motion {
  return placeByHand(piece, plan, seededRandom(seed)).truth
}

/** Turned into its pose, set down so that its lowest point touches the table, a little off centre. */
function placeByHand(piece: DemoPiece, plan: TakePlan, random: { next(): number }): { truth: Motion; box: Bounds } {
  const deg = Math.PI / 180
  const turned = compose(
    rotationMotion([0, 0, 1], plan.pose.headingDeg * deg),
    compose(rotationMotion([0, 1, 0], plan.pose.aboutYDeg * deg), rotationMotion([1, 0, 0], plan.pose.aboutXDeg * deg)),
  )
  // A coarse mesh whose vertices lie on the true surface gives the lowest point and the middle.
  const { positions } = polygonise(piece.field, piece.bounds, 1.5, quietContext(), { embedded: false })
  let lowest = Infinity
  let cx = 0, cy = 0
  for (let i = 0; i < positions.length; i += 3) {
    const [x, y, z] = transformPoint(turned, positions[i]!, positions[i + 1]!, positions[i + 2]!)
    lowest = Math.min(lowest, z)
    cx += (3 * x) / positions.length
    cy += (3 * y) / positions.length
  }
  const shift = identityMotion()
  shift[3] = -cx + PLACING_MM * (random.next() - 0.5)
  shift[7] = -cy + PLACING_MM * (random.next() - 0.5)
  shift[11] = -lowest
  const truth = compose(shift, turned)
  const { min, max } = boundsOf(transformPoints(truth, positions))
  return { truth, box: { min: [min[0] - 0.5, min[1] - 0.5, min[2] - 0.5], max: [max[0] + 0.5, max[1] + 0.5, max[2] + 0.5] } }
}

function captureFrame(
  field: Implicit, box: Bounds, device: Device, angle: number, elevation: number,
  random: { next(): number; gaussian(): number }, emit: (x: number, y: number, z: number) => void, origins: Float64Array, frame: number,
): void {
  const dirX = Math.cos(elevation) * Math.cos(angle), dirY = Math.cos(elevation) * Math.sin(angle), dirZ = Math.sin(elevation)
  const aimZ = (box.min[2] + box.max[2]) / 2
  const ox = dirX * device.standOffMm, oy = dirY * device.standOffMm, oz = aimZ + dirZ * device.standOffMm
  origins[frame * 3] = ox
  origins[frame * 3 + 1] = oy
  origins[frame * 3 + 2] = oz
  // Right and up of the camera; the projector sits beside it.
  const rx = -Math.sin(angle), ry = Math.cos(angle)
  const upX = -Math.sin(elevation) * Math.cos(angle), upY = -Math.sin(elevation) * Math.sin(angle), upZ = Math.cos(elevation)
  const projX = ox + rx * device.baselineMm, projY = oy + ry * device.baselineMm, projZ = oz
  const pixels = Math.round(device.windowMm / device.framePitchMm)
  const half = device.windowMm / 2
  const near = device.standOffMm - device.depthBandMm
  const far = device.standOffMm + device.depthBandMm
  const minCos = Math.cos((device.maxIncidenceDeg * Math.PI) / 180)
  const normal = new Float64Array(3)
  for (let v = 0; v < pixels; v++) {
    for (let w = 0; w < pixels; w++) {
      const sx = ((w + random.next()) / pixels) * device.windowMm - half
      const sy = ((v + random.next()) / pixels) * device.windowMm - half
      let x = -dirX * device.standOffMm + rx * sx + upX * sy
      let y = -dirY * device.standOffMm + ry * sx + upY * sy
      let z = -dirZ * device.standOffMm + upZ * sy
      const length = Math.sqrt(x * x + y * y + z * z)
      x /= length; y /= length; z /= length
      const cosAxis = -(x * dirX + y * dirY + z * dirZ)
      let t = traceRay(field, box, ox, oy, oz, x, y, z, far / cosAxis)
      let nx = 0, ny = 0, nz = 1
      const tTable = z < 0 ? -oz / z : Infinity
      if (t < tTable) {
        implicitNormal(field, ox + t * x, oy + t * y, oz + t * z, normal)
        nx = normal[0]!; ny = normal[1]!; nz = normal[2]!
      } else t = tTable
      if (!Number.isFinite(t)) continue
      const depth = t * cosAxis
      if (depth < near || depth > far) continue
      const hx = ox + t * x, hy = oy + t * y, hz = oz + t * z
      if (hz < 1e-6 && hx * hx + hy * hy > TABLE_RADIUS_MM * TABLE_RADIUS_MM) continue
      if (-(nx * x + ny * y + nz * z) < minCos) continue
      if (shadowed(field, box, hx + nx * 0.05, hy + ny * 0.05, hz + nz * 0.05, projX, projY, projZ, nx, ny, nz, minCos)) continue
      const noise = rangeNoiseMm(device, t) * random.gaussian()
      emit(hx + noise * x, hy + noise * y, hz + noise * z)
    }
  }
}

/** Distance along the ray to the piece, Infinity when it passes by. Sphere tracing (Hart 1996) inside the piece's box. */
function traceRay(
  field: Implicit, box: Bounds, ox: number, oy: number, oz: number, x: number, y: number, z: number, limit: number,
): number {
  let t = 0
  let end = limit
  for (let c = 0; c < 3; c++) {
    const o = c === 0 ? ox : c === 1 ? oy : oz
    const d = c === 0 ? x : c === 1 ? y : z
    const a = (box.min[c]! - o) / d
    const b = (box.max[c]! - o) / d
    t = Math.max(t, Math.min(a, b))
    end = Math.min(end, Math.max(a, b))
  }
  for (let step = 0; step < 160 && t < end; step++) {
    const f = field(ox + t * x, oy + t * y, oz + t * z)
    if (f < 2e-4) return t
    t += f * 0.9
  }
  return Infinity
}

function shadowed(
  field: Implicit, box: Bounds, px: number, py: number, pz: number, lx: number, ly: number, lz: number,
  nx: number, ny: number, nz: number, minCos: number,
): boolean {
  let x = lx - px, y = ly - py, z = lz - pz
  const length = Math.sqrt(x * x + y * y + z * z)
  x /= length; y /= length; z /= length
  if (nx * x + ny * y + nz * z < minCos) return true
  return traceRay(field, box, px, py, pz, x, y, z, length) < length
}

/** A rough start as a person would give it: the truth, off by a few degrees and millimetres. */
export function roughMotion(truth: Motion, about: readonly number[], seed: number, degrees: number, millimetres: number): Motion {
  const random = seededRandom(seed)
  const axis = [random.gaussian(), random.gaussian(), random.gaussian()]
  const turn = rotationMotion(axis, (degrees * Math.PI) / 180)
  const centre = transformPoint(truth, about[0]!, about[1]!, about[2]!)
  const there = rotationMotion([0, 0, 1], 0, centre)
  const back = rotationMotion([0, 0, 1], 0, centre.map((v) => -v))
  const direction = [random.gaussian(), random.gaussian(), random.gaussian()]
  const l = Math.hypot(direction[0]!, direction[1]!, direction[2]!) || 1
  const shift = rotationMotion([0, 0, 1], 0, direction.map((v) => (v / l) * millimetres))
  return compose(shift, compose(there, compose(turn, compose(back, truth))))
}
