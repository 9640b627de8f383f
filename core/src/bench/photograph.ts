import { checkpoint, type RunContext } from '../context'
import { compose, invertRigid, rotationMotion, transformPoint, type Motion } from '../linear/rigid'
import { seededRandom } from '../linear/random'
import type { PhotoSettings } from '../plan/photos'
import { STRAIGHT, undistort, type Camera } from '../view/camera'
import { DepthMap } from '../view/depth-map'
import { dotTone } from './dots'
import { driftOf, PHONE_LENS, soften, throughTone, vignette, type Drift } from './phone-effects'
import { meetPiece, type Hit } from './hit'
import { NO_EFFECTS, PHONE_AZIMUTH_DEG, type PhoneEffects, type PhoneSettings, type PlannedShot } from './phone'
import { emptySample } from './pieces/piece'
import type { BenchScene } from './scene'
import { traceCylinder } from './trace'

/** One photo: rows of red, green, blue from the top, and where the camera believes it stood. */
export interface Photo {
  readonly shot: PlannedShot
  readonly width: number
  readonly height: number
  readonly rgb: Uint8Array
  /** Camera (x right, y down, z ahead) → table of the take, as planned; the truth is off by the pose error. */
  readonly pose: Motion
  /** Camera → table, as it truly stood. Truth, for tests and Practice only. */
  readonly truth: Motion
  readonly exposureSeconds: number
}

/** Pose error of a phone on a tripod: turns in radians, shifts in mm. */
const POSE_RAD = 6e-4
const POSE_MM = 0.25
/**
 * Light of the tent from everywhere, and of the lamp over the camera's left shoulder: the way to it, in the camera's
 * coordinates.
 */
const AMBIENT = 0.5
const LAMP = 0.6
const LAMP_FROM = [-0.45, -0.65, -0.61] as const
const GLOSS_EXPONENT = 60
const BACKGROUND = [40, 41, 43] as const
const TABLE = [104, 101, 95] as const
const HOLDER = [128, 132, 140] as const
/** Seconds a middle exposure takes in a tent at low sensitivity. */
const BASE_SECONDS = 1 / 60
const NOISE = 1.3
const MAX_BLUR_PIXELS = 6
/** How far off the lamp is drawn that casts shadows, in radii of the piece, and how finely. */
const LAMP_RADII = 30
const LAMP_PIXELS = 600

const toLinear = Float64Array.from({ length: 256 }, (_, v) =>
  v <= 10 ? v / 255 / 12.92 : ((v / 255 + 0.055) / 1.055) ** 2.4,
)
const toByte = (v: number): number =>
  255 * (v <= 0.0031308 ? 12.92 * Math.max(0, v) : 1.055 * Math.min(1, v) ** (1 / 2.4) - 0.055)

/**
 * Camera → table for the phone on its tripod, looking at the middle of the piece, with the table turned by an angle.
 */
export function phonePose(scene: BenchScene, elevationDeg: number, distanceMm: number, tableDeg: number): Motion {
  const e = (elevationDeg * Math.PI) / 180,
    a = ((PHONE_AZIMUTH_DEG + tableDeg) * Math.PI) / 180
  const back = [Math.cos(e) * Math.cos(a), Math.cos(e) * Math.sin(a), Math.sin(e)]
  const right = [-Math.sin(a), Math.cos(a), 0]
  const down = [Math.sin(e) * Math.cos(a), Math.sin(e) * Math.sin(a), -Math.cos(e)]
  const eye = [back[0] * distanceMm, back[1] * distanceMm, back[2] * distanceMm + scene.placed.middleMm]
  return Float64Array.from([0, 1, 2].flatMap((r) => [right[r], down[r], -back[r], eye[r]]).concat(0, 0, 0, 1))
}

/**
 * Takes the photos of a run that were not slept through: the piece's own colours under a tent's even light and a lamp,
 * glaze with its highlights, what is out of the camera's depth of field blurred (circle of confusion c = f²·|s−d| /
 * (N·d·(s−f)); Ray, Applied Photographic Optics). Same seed, same bytes.
 * @param width pixels across; the height follows from the sensor
 */
export function photograph(
  scene: BenchScene,
  phone: PhoneSettings,
  distanceMm: number,
  shots: readonly PlannedShot[],
  width: number,
  seed: number,
  context: RunContext,
): Photo[] {
  const taken = shots.filter((s) => s.taken)
  return taken.map((shot, k) => {
    checkpoint(context, k, taken.length, `Photo ${k + 1} of ${taken.length}`)
    return onePhoto(scene, phone, distanceMm, shot, width, seededRandom(seed * 1009 + shot.index))
  })
}

function onePhoto(
  scene: BenchScene,
  phone: PhoneSettings,
  distanceMm: number,
  shot: PlannedShot,
  width: number,
  random: { gaussian(): number },
): Photo {
  const { camera } = phone
  const height = Math.round((width * camera.sensorHeightMm) / camera.sensorWidthMm)
  const pose = phonePose(scene, phone.elevationDeg, distanceMm, shot.tableDeg)
  const shake = rotationMotion(
    [random.gaussian(), random.gaussian(), random.gaussian()],
    POSE_RAD * random.gaussian(),
    [POSE_MM * random.gaussian(), POSE_MM * random.gaussian(), POSE_MM * random.gaussian()],
  )
  const truly = compose(pose, shake)
  const effects = phone.effects ?? NO_EFFECTS
  const linear = new Float32Array(width * height * 3),
    depth = new Float32Array(width * height)
  shade(scene, camera, effects, truly, width, height, linear, depth)
  let seen = blur(linear, depth, width, height, camera, distanceMm)
  if (effects.softness) seen = soften(seen, width, height)
  if (effects.lens) vignette(seen, width, height)
  const drift: Drift = effects.drift ? driftOf(random) : { stops: 0, white: [1, 1, 1] }
  const stops = phone.stops + drift.stops
  for (let i = 0; i < seen.length; i++) seen[i] *= 2 ** stops * drift.white[i % 3]
  if (effects.tone) throughTone(seen)
  const rgb = new Uint8Array(width * height * 3)
  for (let i = 0; i < rgb.length; i++) rgb[i] = Math.max(0, Math.min(255, toByte(seen[i]) + NOISE * random.gaussian()))
  return { shot, width, height, rgb, pose, truth: truly, exposureSeconds: BASE_SECONDS * 2 ** stops }
}

/** The phone as a camera before the piece in a take's coordinates. @param pose camera → take */
export function phoneCamera(settings: PhotoSettings, effects: PhoneEffects, widthPx: number, pose: Motion): Camera {
  const heightPx = Math.round((widthPx * settings.sensorHeightMm) / settings.sensorWidthMm)
  return {
    widthPx,
    heightPx,
    focalPx: (widthPx * settings.focalMm) / settings.sensorWidthMm,
    principalPx: [widthPx / 2, heightPx / 2],
    distortion: effects.lens ? PHONE_LENS : STRAIGHT,
    motion: invertRigid(pose),
  }
}

function shade(
  scene: BenchScene,
  camera: PhotoSettings,
  effects: PhoneEffects,
  pose: Motion,
  width: number,
  height: number,
  linear: Float32Array,
  depth: Float32Array,
): void {
  const { piece, holder, box } = scene
  const toPiece = compose(invertRigid(scene.truth), pose)
  const [ex, ey, ez] = [toPiece[3], toPiece[7], toPiece[11]]
  const [tx, ty, tz] = [pose[3], pose[7], pose[11]]
  const halfU = camera.sensorWidthMm / 2 / camera.focalMm,
    halfV = camera.sensorHeightMm / 2 / camera.focalMm
  scene.camera.look(
    [ex, ey, ez],
    [ex + toPiece[2], ey + toPiece[6], ez + toPiece[10]],
    Math.atan(Math.hypot(halfU, halfV)) + (effects.lens ? 0.04 : 0.01),
  )
  const inSpace = (m: Motion, a: number, b: number, c: number, r: number): number =>
    m[r * 4] * a + m[r * 4 + 1] * b + m[r * 4 + 2] * c
  const lampTable = [0, 1, 2].map((r) => inSpace(pose, ...LAMP_FROM, r))
  const lampPiece = [0, 1, 2].map((r) => inSpace(toPiece, ...LAMP_FROM, r))
  const upPiece = scene.truth.subarray(8, 11)
  const lit = effects.shadows ? lampLight(scene, lampPiece) : null
  const fromTable = invertRigid(scene.truth)
  const straight = new Float64Array(2)
  const sample = emptySample()
  const hit: Hit = { t: Infinity, nx: 0, ny: 0, nz: 0 }
  for (let v = 0; v < height; v++)
    for (let w = 0; w < width; w++) {
      let su = (((w + 0.5) / width) * 2 - 1) * halfU,
        sv = (((v + 0.5) / height) * 2 - 1) * halfV
      if (effects.lens) {
        undistort(PHONE_LENS, su, sv, straight)
        su = straight[0]
        sv = straight[1]
      }
      const c = 1 / Math.sqrt(1 + su * su + sv * sv),
        a = su * c,
        b = sv * c
      const x = inSpace(toPiece, a, b, c, 0),
        y = inSpace(toPiece, a, b, c, 1),
        z = inSpace(toPiece, a, b, c, 2)
      meetPiece(piece.field, box, scene.camera.rangeAlong(x, y, z), ex, ey, ez, x, y, z, hit)
      let t = hit.t
      // What is met: 0 nothing, 1 the piece, 2 the table, 3 what holds it.
      let met = t < Infinity ? 1 : 0
      const dx = inSpace(pose, a, b, c, 0),
        dy = inSpace(pose, a, b, c, 1),
        dz = inSpace(pose, a, b, c, 2)
      if (scene.hasTable && dz < 0) {
        const s = -tz / dz
        const hx = tx + s * dx,
          hy = ty + s * dy
        if (s < t && hx * hx + hy * hy <= scene.plateRadiusMm ** 2) {
          t = s
          met = 2
        }
      }
      if (holder) {
        const s = traceCylinder(holder.radiusMm, holder.topMm, tx, ty, tz, dx, dy, dz)
        if (s < t) {
          t = s
          met = 3
        }
      }
      const at = (v * width + w) * 3
      depth[v * width + w] = met === 0 ? 0 : t * c
      let colour: readonly [number, number, number] = BACKGROUND
      let light = 1,
        shine = 0
      if (met === 1) {
        const hx = ex + t * x,
          hy = ey + t * y,
          hz = ez + t * z
        piece.surface(hx, hy, hz, sample)
        const tone = dotTone(scene.pieceDots, hx, hy, hz)
        colour = tone === 1 ? [240, 240, 240] : tone === 2 ? [20, 20, 20] : [sample.red, sample.green, sample.blue]
        const facing = hit.nx * lampPiece[0] + hit.ny * lampPiece[1] + hit.nz * lampPiece[2]
        const shone = facing > 0 && (!lit || lit(hx + hit.nx, hy + hit.ny, hz + hit.nz, facing))
        // The tent is brighter above than below, whichever way the piece lies on the table.
        light =
          AMBIENT * (0.75 + 0.25 * (hit.nx * upPiece[0] + hit.ny * upPiece[1] + hit.nz * upPiece[2])) +
          (shone ? LAMP * facing : 0)
        let kx = lampPiece[0] - x,
          ky = lampPiece[1] - y,
          kz = lampPiece[2] - z
        const l = 1 / Math.sqrt(kx * kx + ky * ky + kz * kz)
        kx *= l
        ky *= l
        kz *= l
        if (tone === 0 && shone)
          shine = 0.5 * sample.gloss * Math.max(0, hit.nx * kx + hit.ny * ky + hit.nz * kz) ** GLOSS_EXPONENT
      } else if (met > 1) {
        const tone = met === 2 ? dotTone(scene.tableDots, tx + t * dx, ty + t * dy, 0) : 0
        colour = tone === 1 ? [240, 240, 240] : tone === 2 ? [20, 20, 20] : met === 2 ? TABLE : HOLDER
        const [qx, qy, qz] = transformPoint(fromTable, tx + t * dx, ty + t * dy, tz + t * dz)
        light = AMBIENT + (!lit || lit(qx, qy, qz, 1) ? LAMP * Math.max(0, lampTable[2]) : 0)
      }
      for (let k = 0; k < 3; k++) linear[at + k] = toLinear[Math.round(colour[k])] * light + shine
    }
}

/** Whether a place of the piece's space is reached by the lamp, which stands far off. */
function lampLight(
  scene: BenchScene,
  towards: readonly number[],
): (x: number, y: number, z: number, facing: number) => boolean {
  const { min, max } = scene.box
  const middle = [0, 1, 2].map((c) => (min[c] + max[c]) / 2)
  const radius = Math.hypot(...[0, 1, 2].map((c) => max[c] - min[c])) / 2
  const eye = middle.map((m, c) => m + towards[c] * LAMP_RADII * radius) as [number, number, number]
  const map = new DepthMap(scene.mesh, LAMP_PIXELS)
  map.look(eye, middle as [number, number, number], Math.atan(1.1 / LAMP_RADII))
  return (x, y, z, facing) => map.sees(x, y, z, facing)
}

/** Diameter of the circle of confusion in pixels for something at a depth when the camera is focused on another. */
export function blurPixels(camera: PhotoSettings, focusMm: number, depthMm: number, width: number): number {
  const onSensor =
    (camera.focalMm ** 2 * Math.abs(focusMm - depthMm)) / (camera.fNumber * depthMm * (focusMm - camera.focalMm))
  return (onSensor / camera.sensorWidthMm) * width
}

/**
 * Every pixel as the mean over its circle of confusion; what is nearer than the pixel's own depth and sharp does not
 * bleed outward.
 */
function blur(
  linear: Float32Array,
  depth: Float32Array,
  width: number,
  height: number,
  camera: PhotoSettings,
  focusMm: number,
): Float32Array {
  const out = linear.slice()
  for (let v = 0; v < height; v++)
    for (let w = 0; w < width; w++) {
      const d = depth[v * width + w]
      if (d === 0) continue
      const r = Math.min(MAX_BLUR_PIXELS, blurPixels(camera, focusMm, d, width) / 2)
      if (r < 0.7) continue
      const reach = Math.ceil(r)
      let n = 0,
        red = 0,
        green = 0,
        blue = 0
      for (let y = Math.max(0, v - reach); y <= Math.min(height - 1, v + reach); y++)
        for (let x = Math.max(0, w - reach); x <= Math.min(width - 1, w + reach); x++) {
          if ((x - w) ** 2 + (y - v) ** 2 > r * r) continue
          const i = (y * width + x) * 3
          n++
          red += linear[i]
          green += linear[i + 1]
          blue += linear[i + 2]
        }
      const at = (v * width + w) * 3
      out[at] = red / n
      out[at + 1] = green / n
      out[at + 2] = blue / n
    }
  return out
}
