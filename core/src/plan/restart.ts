import type { CoverageScene } from './coverage'
import type { DeviceProfile } from './device-profile'
import type { PlannedTake } from './takes'

/** Where to begin after a turn: table angle, and how much of what is in view there is known. */
export interface Restart {
  readonly atDeg: number
  readonly known: number
}

/** Eighths of a turn are looked at. */
const PLACES = 8

/**
 * The view of a take that sees most of what is known already, by area.
 * @param known per facet of the scene: 1 where an earlier take saw it
 */
export function restartOf(scene: CoverageScene, known: Uint8Array, take: PlannedTake, device: DeviceProfile): Restart {
  const { areas } = scene.facets
  const start: PlannedTake = { ...take, secondsPerTurn: null, steps: PLACES, sweepDeg: 360, restartDeg: 0 }
  let best: Restart = { atDeg: 0, known: 0 }
  scene.cover(start, device, 1e9, undefined, (v, list) => {
    let all = 0,
      old = 0
    for (const i of list) {
      all += areas[i]
      if (known[i]) old += areas[i]
    }
    const share = all > 0 ? old / all : 0
    if (share > best.known) best = { atDeg: v * (360 / PLACES), known: share }
  })
  return best
}

/** The same for a take yet to be made, from the takes made before it. */
export function restartAfter(
  scene: CoverageScene,
  before: readonly PlannedTake[],
  take: PlannedTake,
  device: DeviceProfile,
): Restart {
  const known = new Uint8Array(scene.facets.count)
  for (const t of before) {
    const { views } = scene.cover(t, device, 1e9)
    for (let i = 0; i < known.length; i++) if (views[i]) known[i] = 1
  }
  return restartOf(scene, known, take, device)
}
