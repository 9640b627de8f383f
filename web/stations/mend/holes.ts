import { detailsOf, type Fault, type HealthDetails, type HoleTold } from '@holosoma/core/operations'
import type { StepRecord } from '@holosoma/engine'
import { healthStep } from '@/lib/chain'

export interface Hole extends HoleTold {
  readonly middle: readonly [number, number, number]
  /** Which way it opens: the mean plane of its rim, seen from outside. */
  readonly facing: readonly [number, number, number]
}

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
      return { perimeterMm: perimeterMm * factor, rim: curve, ...poseOf(curve) }
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
      return { lengthMm: lengthMm * factor, rim, ...poseOf(rim) }
    })
}

/** Middle of a closed curve, and the normal of its mean plane (Newell). */
function poseOf(rim: readonly number[]): Pick<Hole, 'middle' | 'facing'> {
  const n = rim.length / 3
  const middle = [0, 1, 2].map((c) => rim.reduce((sum, v, i) => (i % 3 === c ? sum + v / n : sum), 0))
  const normal = [0, 0, 0]
  for (let i = 0; i < n; i++) {
    const a = [0, 1, 2].map((c) => rim[i * 3 + c] - middle[c]),
      b = [0, 1, 2].map((c) => rim[((i + 1) % n) * 3 + c] - middle[c])
    for (let c = 0; c < 3; c++) normal[c] += a[(c + 1) % 3] * b[(c + 2) % 3] - a[(c + 2) % 3] * b[(c + 1) % 3]
  }
  const length = Math.hypot(...normal) || 1
  return {
    middle: [middle[0], middle[1], middle[2]],
    facing: [normal[0] / length, normal[1] / length, normal[2] / length],
  }
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
