import { transformPoint } from '../linear/rigid'
import type { DeviceProfile } from '../plan/device-profile'
import type { FrameReading } from './frame'
import type { BenchScene, FramePose } from './scene'

/** Mean of 1 − cosine over what is seen: below it a surface is too plain to be followed by its shape. */
const MIN_RELIEF = 0.035
/** A device that has lost its place finds it again within this of a frame it knew. */
const KNOWN_MM = 60
const KNOWN_COSINE = Math.cos((25 * Math.PI) / 180)

/** How many dots a frame sees: in the window, lit and not hidden. */
export function dotsInFrame(scene: BenchScene, pose: FramePose): number {
  const { device, settings } = scene
  const half = device.windowMm / 2 / device.standOffMm
  const { eye, right, up, forward, toPiece } = pose
  let seen = 0
  for (const dot of settings.dots) {
    const over = dot.space === 'piece' ? transformPoint(scene.truth, dot.at[0], dot.at[1], dot.at[2]) : dot.at
    const d = [over[0] - eye[0], over[1] - eye[1], over[2] - eye[2]]
    const along = (v: Float64Array): number => v[0] * d[0] + v[1] * d[1] + v[2] * d[2]
    const c = along(forward)
    if (c < device.nearMm || c > device.farMm || Math.abs(along(right)) > half * c || Math.abs(along(up)) > half * c)
      continue
    const p = transformPoint(toPiece, along(right), along(up), c)
    if (scene.camera.sees(p[0], p[1], p[2], 0.7)) seen++
  }
  return seen
}

/**
 * Which frames a device that finds its own place keeps: it follows dots, colour or relief from frame to frame; lost, it
 * takes nothing until it comes back to a place it knows (common practice: return to a place already scanned).
 */
export function trackedFrames(
  device: DeviceProfile,
  poses: readonly FramePose[],
  readings: readonly FrameReading[],
  dots: readonly number[],
  colourful: boolean,
): Uint8Array {
  const out = new Uint8Array(poses.length)
  const ownPlace = device.hold === 'hand'
  if (!ownPlace) return out.fill(1)
  let lost = false
  for (let i = 0; i < poses.length; i++) {
    const byDots = device.tracking.includes('dots') && dots[i] >= device.dotsInView
    const byShape = device.tracking.includes('shape') && readings[i].relief >= MIN_RELIEF && readings[i].taken > 0
    const byColour = device.tracking.includes('colour') && colourful && readings[i].taken > 0
    if (!(byDots || byShape || byColour)) {
      lost = true
      continue
    }
    if (lost && i > 0 && !poses.some((p, k) => k < i && out[k] === 1 && near(p, poses[i]))) continue
    lost = false
    out[i] = 1
  }
  return out
}

function near(a: FramePose, b: FramePose): boolean {
  const d = Math.hypot(a.eye[0] - b.eye[0], a.eye[1] - b.eye[1], a.eye[2] - b.eye[2])
  const c = a.forward[0] * b.forward[0] + a.forward[1] * b.forward[1] + a.forward[2] * b.forward[2]
  return d < KNOWN_MM + 1e-9 || (c > KNOWN_COSINE && d < 2 * KNOWN_MM)
}
