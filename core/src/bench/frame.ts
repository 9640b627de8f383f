import { patternContrast, rangeNoiseMm } from '../plan/device-profile'
import { dotTone } from './dots'
import { driftPoint } from './drift'
import { meetPiece, type Hit } from './hit'
import { emptySample } from './pieces/piece'
import { halfView, type BenchScene, type FramePose } from './scene'
import { TRUE_KIND, type PointSink } from './sink'
import { traceCylinder } from './trace'

/** What became of a pixel. */
export const PIXEL = {
  nothing: 0,
  table: 1,
  holder: 2,
  piece: 3,
  clipped: 4,
  starved: 5,
  tooNear: 6,
  tooFar: 7,
  shadow: 8,
  flat: 9,
} as const

/** The device's two pictures of one frame, and what became of each pixel; rows from the top. */
export interface Picture {
  readonly pixels: number
  readonly state: Uint8Array
  /** Brightness as the camera sees it without and with the pattern. */
  readonly plain: Uint8Array
  readonly pattern: Uint8Array
  /** Along the device's axis; 0 where nothing is. */
  readonly depthMm: Float32Array
}

/** What a frame tells of exposure and distance. Counts are pixels on the piece. */
export interface FrameReading {
  readonly onPiece: number
  readonly clipped: number
  readonly starved: number
  readonly tooNear: number
  readonly tooFar: number
  readonly taken: number
  /**
   * Depths of the piece along the device's axis, mm: the nearest, the farthest, and at the middle of the picture (0:
   * nothing there).
   */
  readonly nearestMm: number
  readonly farthestMm: number
  readonly middleMm: number
  /** Where the piece is nearest: right and up in the picture, −1 to 1. */
  readonly nearestAt: readonly [number, number]
  /** Pixels of each zone of the piece, and of them clipped and starved. */
  readonly zones: readonly { readonly pixels: number; readonly clipped: number; readonly starved: number }[]
  /** Mean slope of what is seen: how much relief there is to track by. */
  readonly relief: number
}

/** Exponent and height of the mirror lobe beside the even light (Blinn 1977). */
const LOBE = 192
const LOBE_HEIGHT = 4
/** Shares of a pixel's light that its neighbours get, which turns tone edges into depth. */
const TONE_ERROR = 0.3
/**
 * Edges across the baseline count in full, edges along it by this share: no device's pixels lie quite square to its
 * pattern.
 */
const UPWARD_SHARE = 0.4
const TABLE_TONE = 0.3
const HOLDER_COLOUR = { riser: [150, 150, 154], putty: [92, 128, 176], grip: [96, 96, 100] } as const
const MIX_SHARE = 0.35

/**
 * Takes one frame: for every ray of the device's grid the first thing it meets, found on the depth map of a coarse mesh
 * and then on the true field by Newton steps along the ray (true rays at outlines); kept where the projector lights it,
 * inside window and depth band, no flatter than the device can, and neither clipped nor starved. Points go to `sink` in
 * the table's coordinates.
 */
export function takeFrame(
  scene: BenchScene,
  pose: FramePose,
  pixels: number,
  random: { next(): number; gaussian(): number },
  frame: number,
  sink: PointSink | null,
  picture: Picture | null,
): FrameReading {
  const { piece, device, settings, box, holder, take } = scene
  const { field } = piece
  const { faults } = settings
  const m = pose.toPiece
  const [ex, ey, ez] = [m[3], m[7], m[11]]
  const [px, py, pz] = pose.projector
  const forward = [m[2], m[6], m[10]] as const
  const half = device.windowMm / 2 / device.standOffMm
  scene.camera.look([ex, ey, ez], [ex + forward[0], ey + forward[1], ez + forward[2]], halfView(device))
  // The projector looks at the same window from beside; turned in so that it covers it at the near end too.
  const so = device.standOffMm
  scene.projector.look(
    [px, py, pz],
    [ex + forward[0] * so, ey + forward[1] * so, ez + forward[2] * so],
    Math.atan((device.windowMm * 0.75 + device.baselineMm) / device.nearMm),
  )
  const eye = pose.eye,
    right = pose.right,
    up = pose.up,
    ahead = pose.forward
  // Projector over the table.
  const qx = eye[0] + right[0] * device.baselineMm,
    qy = eye[1] + right[1] * device.baselineMm,
    qz = eye[2] + right[2] * device.baselineMm
  const minCos = Math.cos((device.maxIncidenceDeg * Math.PI) / 180)
  const floor = 1 / device.exposureRange
  const warm = settings.temperatureC - settings.calibratedAtC
  const contrast = faults.falseRelief && piece.contrast && settings.coatMm === 0
  const sample = emptySample()
  const hit: Hit = { t: Infinity, nx: 0, ny: 0, nz: 0 }
  const zones = piece.zones.map(() => ({ pixels: 0, clipped: 0, starved: 0 }))
  let onPiece = 0,
    clipped = 0,
    starved = 0,
    tooNear = 0,
    tooFar = 0,
    taken = 0,
    nearest = Infinity,
    farthest = 0,
    slope = 0,
    sloped = 0
  let nearU = 0,
    nearV = 0,
    middle = 0,
    middleAt = Infinity
  const offU = picture ? 0.5 : random.next(),
    offV = picture ? 0.5 : random.next()
  const pitch = device.windowMm / pixels
  for (let v = 0; v < pixels; v++) {
    let behind = 0
    for (let w = 0; w < pixels; w++) {
      const su = (((w + offU) / pixels) * 2 - 1) * half,
        sv = (1 - ((v + offV) / pixels) * 2) * half
      const norm = 1 / Math.sqrt(1 + su * su + sv * sv)
      const a = su * norm,
        b = sv * norm,
        c = norm
      const x = m[0] * a + m[1] * b + m[2] * c,
        y = m[4] * a + m[5] * b + m[6] * c,
        z = m[8] * a + m[9] * b + m[10] * c
      const at = picture ? v * pixels + w : 0
      // Nearest of piece, holder and table.
      meetPiece(field, box, settings.pieceAway ? 0 : scene.camera.rangeAlong(x, y, z), ex, ey, ez, x, y, z, hit)
      let { t, nx, ny, nz } = hit
      // The same ray over the table.
      const dx = right[0] * a + up[0] * b + ahead[0] * c,
        dy = right[1] * a + up[1] * b + ahead[1] * c,
        dz = right[2] * a + up[2] * b + ahead[2] * c
      let what: number = t < Infinity ? PIXEL.piece : PIXEL.nothing
      if (scene.hasTable && dz < 0) {
        const s = -eye[2] / dz
        const hx = eye[0] + s * dx,
          hy = eye[1] + s * dy
        if (s < t && hx * hx + hy * hy <= scene.plateRadiusMm ** 2) {
          t = s
          what = PIXEL.table
        }
      }
      if (holder) {
        const s = traceCylinder(holder.radiusMm, holder.topMm, eye[0], eye[1], eye[2], dx, dy, dz)
        if (s < t) {
          t = s
          what = PIXEL.holder
        }
      }
      if (what === PIXEL.nothing) {
        behind = 0
        continue
      }
      const depth = t * c
      const hx = ex + t * x,
        hy = ey + t * y,
        hz = ez + t * z
      // Over the table.
      const tx = eye[0] + t * dx,
        ty = eye[1] + t * dy,
        tz = eye[2] + t * dz
      const mine = what === PIXEL.piece
      if (mine) {
        onPiece++
        if (depth < nearest) {
          nearest = depth
          nearU = su / half
          nearV = sv / half
        }
        if (depth > farthest) farthest = depth
        const off = su * su + sv * sv
        if (off < middleAt) {
          middleAt = off
          middle = depth
        }
        if (settings.coatMm > 0) {
          sample.zone = 0
          piece.surface(hx, hy, hz, sample)
          sample.red = sample.green = sample.blue = 236
          sample.reflectance = 0.75
          sample.gloss = 0
        } else piece.surface(hx, hy, hz, sample)
      } else {
        sample.gloss = 0
        sample.zone = -1
        sample.reflectance = TABLE_TONE
        const colour = what === PIXEL.holder ? HOLDER_COLOUR[holder!.kind] : ([120, 116, 108] as const)
        sample.red = colour[0]
        sample.green = colour[1]
        sample.blue = colour[2]
      }
      const tone = mine
        ? dotTone(scene.pieceDots, hx, hy, hz)
        : what === PIXEL.table
          ? dotTone(scene.tableDots, tx, ty, tz)
          : 0
      if (tone > 0) {
        sample.gloss = 0
        sample.reflectance = tone === 1 ? 0.8 : 0.04
        sample.red = sample.green = sample.blue = tone === 1 ? 240 : 20
      }
      // Cosines to both eyes, and the light towards the mirror direction.
      let facing: number, lit: number, lx: number, ly: number, lz: number
      if (mine) {
        lx = px - hx
        ly = py - hy
        lz = pz - hz
        const l = 1 / Math.sqrt(lx * lx + ly * ly + lz * lz)
        lx *= l
        ly *= l
        lz *= l
        facing = -(nx * x + ny * y + nz * z)
        lit = nx * lx + ny * ly + nz * lz
      } else {
        lx = qx - tx
        ly = qy - ty
        lz = qz - tz
        const l = 1 / Math.sqrt(lx * lx + ly * ly + lz * lz)
        lx *= l
        ly *= l
        lz *= l
        const side = what === PIXEL.holder && tz < holder!.topMm - 1e-6
        const k = side ? 1 / holder!.radiusMm : 0
        nx = tx * k
        ny = ty * k
        nz = side ? 0 : 1
        facing = -(nx * dx + ny * dy + nz * dz)
        lit = nx * lx + ny * ly + nz * lz
      }
      const falloff = (so / depth) ** 2
      let signal = settings.light * falloff * sample.reflectance * Math.max(0, lit)
      if (sample.gloss > 0 && lit > 0) {
        let kx = lx - x,
          ky = ly - y,
          kz = lz - z
        const l = 1 / Math.sqrt(kx * kx + ky * ky + kz * kz)
        kx *= l
        ky *= l
        kz *= l
        const mirror = Math.max(0, nx * kx + ny * ky + nz * kz)
        signal += settings.light * falloff * sample.gloss * LOBE_HEIGHT * mirror ** LOBE
      }
      if (picture) {
        picture.depthMm[at] = depth
        const grey = (60 + 195 * Math.min(1, signal)) * (lit > 0 ? 1 : 0.4)
        const stripe =
          0.55 +
          0.45 * patternContrast(device, depth) * Math.sin((su + (device.baselineMm / so) * (so / depth - 1)) * 90)
        picture.plain[at] = Math.min(255, grey)
        picture.pattern[at] = Math.min(255, grey * stripe)
      }
      let became: number = what
      if (depth < device.nearMm) became = PIXEL.tooNear
      else if (depth > device.farMm) became = PIXEL.tooFar
      else if (facing < minCos || lit < minCos) became = PIXEL.flat
      else if (
        mine
          ? !lightReaches(scene, hx, hy, hz, lit, tx, ty, tz, qx, qy, qz)
          : shadowed(scene, pose, tx, ty, tz, qx, qy, qz)
      )
        became = PIXEL.shadow
      else if (faults.exposure && mine && signal > 1) became = PIXEL.clipped
      else if (faults.exposure && mine && signal < floor) became = PIXEL.starved
      if (mine) {
        const zone = zones[sample.zone]
        zone.pixels++
        if (became === PIXEL.clipped) {
          clipped++
          zone.clipped++
        } else if (became === PIXEL.starved) {
          starved++
          zone.starved++
        } else if (became === PIXEL.tooNear) tooNear++
        else if (became === PIXEL.tooFar) tooFar++
        else if (became === PIXEL.piece) {
          taken++
          slope += 1 - facing
          sloped++
        }
      }
      if (picture) picture.state[at] = became
      const kept = became === PIXEL.piece || became === PIXEL.table || became === PIXEL.holder
      if (kept && sink && !(settings.reference && what === PIXEL.table) && within(take, tx, ty, tz)) {
        let range = t
        let kind: number = mine
          ? tone > 0
            ? TRUE_KIND.pieceDot
            : TRUE_KIND.piece
          : what === PIXEL.holder
            ? TRUE_KIND.holder
            : tone > 0
              ? TRUE_KIND.tableDot
              : TRUE_KIND.table
        if (faults.mixedPoints && behind > 0 && Math.abs(depth - behind) > 5 * pitch && random.next() < MIX_SHARE) {
          range += ((behind - depth) * random.next()) / c
          kind = TRUE_KIND.mixed
        }
        if (contrast && mine) range += toneError(scene, hx, hy, hz, m, pitch * (depth / so), depth)
        if (faults.noise)
          range += rangeNoiseMm(device, t) * noiseFactor(facing, signal, floor, faults.exposure) * random.gaussian()
        let ca = a * range,
          cb = b * range,
          cc = c * range
        if (settings.coatMm > 0 && mine) cc -= settings.coatMm * facing
        if (faults.drift && warm !== 0) {
          ;[ca, cb, cc] = driftPoint(device, warm, ca, cb, cc)
        }
        sink.add(
          eye[0] + right[0] * ca + up[0] * cb + ahead[0] * cc,
          eye[1] + right[1] * ca + up[1] * cb + ahead[1] * cc,
          eye[2] + right[2] * ca + up[2] * cb + ahead[2] * cc,
          sample.red,
          sample.green,
          sample.blue,
          Math.min(1, facing * lit * (faults.exposure ? Math.min(1, signal / 0.3) : 1)),
          frame,
          kind,
        )
      }
      behind = depth
    }
  }
  return {
    onPiece,
    clipped,
    starved,
    tooNear,
    tooFar,
    taken,
    nearestMm: onPiece > 0 ? nearest : 0,
    farthestMm: farthest,
    middleMm: middle,
    nearestAt: [nearU, nearV],
    zones,
    relief: sloped > 0 ? slope / sloped : 0,
  }
}

/** Limits set before the take. */
function within(take: BenchScene['take'], x: number, y: number, z: number): boolean {
  if (take.floorMm !== null && z < take.floorMm) return false
  return take.boxMm === null || (Math.abs(x) <= take.boxMm / 2 && Math.abs(y) <= take.boxMm / 2)
}

function lightReaches(
  scene: BenchScene,
  hx: number,
  hy: number,
  hz: number,
  lit: number,
  tx: number,
  ty: number,
  tz: number,
  qx: number,
  qy: number,
  qz: number,
): boolean {
  if (!scene.projector.sees(hx, hy, hz, lit)) return false
  const { holder } = scene
  if (!holder || tz > holder.topMm) return true
  const x = qx - tx,
    y = qy - ty,
    z = qz - tz
  return traceCylinder(holder.radiusMm, holder.topMm, tx, ty, tz, x, y, z) === Infinity
}

/** Whether piece or holder keeps the projector's light from a point of table or holder. */
function shadowed(
  scene: BenchScene,
  pose: FramePose,
  tx: number,
  ty: number,
  tz: number,
  qx: number,
  qy: number,
  qz: number,
): boolean {
  const { holder } = scene
  if (
    holder &&
    traceCylinder(holder.radiusMm * 0.999, holder.topMm * 0.999, tx, ty, tz, qx - tx, qy - ty, qz - tz) !== Infinity
  )
    return true
  // The projector's depth map in the piece's coordinates: from device to table and on to the piece.
  const { eye, right, up, forward, toPiece: m } = pose
  const rx = tx - eye[0],
    ry = ty - eye[1],
    rz = tz - eye[2]
  const a = right[0] * rx + right[1] * ry + right[2] * rz,
    b = up[0] * rx + up[1] * ry + up[2] * rz,
    c = forward[0] * rx + forward[1] * ry + forward[2] * rz
  return (
    !scene.settings.pieceAway &&
    !scene.projector.sees(
      m[0] * a + m[1] * b + m[2] * c + m[3],
      m[4] * a + m[5] * b + m[6] * c + m[7],
      m[8] * a + m[9] * b + m[10] * c + m[11],
      0.7,
    )
  )
}

/** Noise grows where the surface lies flat and where little light comes back. */
function noiseFactor(facing: number, signal: number, floor: number, exposure: boolean): number {
  const slant = 1 / Math.max(0.25, facing)
  return exposure ? slant * Math.sqrt(1 + floor / Math.max(signal, floor)) : slant
}

const beside = emptySample()

/**
 * A pixel that straddles an edge of tone weighs its light to the paler side: the pattern seems shifted, which
 * triangulation reads as depth.
 * The shift is a share of a pixel; depth changes by it times distance over baseline.
 */
function toneError(
  scene: BenchScene,
  x: number,
  y: number,
  z: number,
  m: Float64Array,
  pixelMm: number,
  depthMm: number,
): number {
  const across =
    contrastAlong(scene, x, y, z, m, 0, pixelMm / 2) + UPWARD_SHARE * contrastAlong(scene, x, y, z, m, 1, pixelMm / 2)
  return (TONE_ERROR * pixelMm * across * depthMm) / scene.device.baselineMm
}

/** Difference over sum of the reflectances on both sides, along the picture's right (0) or up (1). */
function contrastAlong(
  scene: BenchScene,
  x: number,
  y: number,
  z: number,
  m: Float64Array,
  axis: 0 | 1,
  h: number,
): number {
  const rx = m[axis] * h,
    ry = m[4 + axis] * h,
    rz = m[8 + axis] * h
  scene.piece.surface(x + rx, y + ry, z + rz, beside)
  const one = beside.reflectance
  scene.piece.surface(x - rx, y - ry, z - rz, beside)
  return (one - beside.reflectance) / (one + beside.reflectance)
}
