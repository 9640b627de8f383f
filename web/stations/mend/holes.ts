import { poseOfCurve, type CurvePose } from '@holosoma/core/mesh'
import { detailsOf, type Fault, type HealthDetails, type HoleTold } from '@holosoma/core/operations'
import type { StepRecord } from '@holosoma/engine'
import { healthStep } from '@/lib/chain'

/** A hole, and the pose of its rim. */
export interface Hole extends HoleTold, CurvePose {}

/** A loop round a handle, or through it. */
export interface Handle extends Omit<Hole, 'perimeterMm'> {
  readonly lengthMm: number
}

/** Acts that tell of the holes they leave. */
const TELLING = [
  'mend.health',
  'mend.closeHoles',
  'mend.closeHole',
  'mend.bridgeHoles',
  'mend.closeHandle',
  'mend.heal',
  'mend.denoise',
  'mend.brush',
  'mend.workPart',
  'mend.splice',
  'mend.remesh',
  'mend.refine',
  'mend.cutAway',
  'mend.cutPlane',
  'mend.simplify',
  'skin.adopt',
] as const

/** What the last act that looked told of, and by how much it was scaled since. */
function toldLast(chain: readonly StepRecord[]): { told: readonly HealthDetails[]; factor: number } {
  const step = healthStep(chain)
  if (!step) return { told: [], factor: 1 }
  const factor = chain
    .slice(chain.indexOf(step) + 1)
    .reduce((f, s) => (s.operation === 'size.scale' ? f * Number(s.figures.factor ?? 1) : f), 1)
  return { told: TELLING.flatMap((name) => detailsOf(step, name) ?? []), factor }
}

/** The holes of the skin as it stands, the largest first, as the last act that looked told of them. */
export function holesOf(chain: readonly StepRecord[]): Hole[] {
  const { told, factor } = toldLast(chain)
  return told
    .flatMap((d) => d.holes)
    .map(({ perimeterMm, rim }) => {
      const curve = rim.map((v) => v * factor)
      return { perimeterMm: perimeterMm * factor, rim: curve, ...poseOfCurve(curve) }
    })
}

/** Where else something is wrong with it. */
export function faultsOf(chain: readonly StepRecord[]): Fault[] {
  const { told, factor } = toldLast(chain)
  return told
    .flatMap((d) => d.faults ?? [])
    .map((f) => ({
      ...f,
      at: [f.at[0] * factor, f.at[1] * factor, f.at[2] * factor] as const,
      sizeMm: f.sizeMm * factor,
    }))
}

/** Loops round its handles and through them, where the last act was the check that looks for them. */
export function handlesOf(chain: readonly StepRecord[]): Handle[] {
  const { told, factor } = toldLast(chain)
  return told
    .flatMap((d) => d.handles ?? [])
    .map(({ lengthMm, loop }) => {
      const rim = loop.map((v) => v * factor)
      return { lengthMm: lengthMm * factor, rim, ...poseOfCurve(rim) }
    })
}

/** Rims as pairs of places, for lines on the stage. */
export function rimLines(holes: readonly Pick<Hole, 'rim'>[]): Float32Array {
  const out: number[] = []
  for (const { rim } of holes)
    for (let i = 0; i < rim.length; i += 3) {
      const k = (i + 3) % rim.length
      out.push(rim[i], rim[i + 1], rim[i + 2], rim[k], rim[k + 1], rim[k + 2])
    }
  return Float32Array.from(out)
}
