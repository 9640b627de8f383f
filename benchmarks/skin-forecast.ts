/**
 * What the forecast of a skin says before, and what came: triangles, time and memory, over the bench's pieces, two
 * densities of points and four spacings each. Units of work become seconds by the median of all rows, as a machine
 * learns them from the skins it made.
 *   node --expose-gc --import tsx benchmarks/skin-forecast.ts [piece …]
 */
import { DEMO_PIECES, quietContext } from '@holosoma/core'
import { forecastSkin, type SkinGround } from '../core/src/fuse/predict'
import { makeSkin } from '../core/src/fuse/skin'
import { trialSkin } from '../core/src/fuse/trial'
import { joinedByTruth, seconds } from './lib'

const FINEST = [0.35, 0.5, 0.8, 1.3]

interface Row {
  piece: string
  points: number
  spacingMm: number
  faces: [forecast: number, came: number]
  megabytes: [forecast: number, came: number]
  work: number
  areaMm2: number
  extentMm: readonly number[]
  seconds: number
}
const rows: Row[] = []
const wanted = process.argv.slice(2)
for (const [name, piece] of Object.entries(DEMO_PIECES).filter(([n]) => wanted.length === 0 || wanted.includes(n)))
  for (const fusedMm of [0.6, 1.2]) {
    const takes = joinedByTruth(piece, fusedMm)
    const points = takes.reduce((n, t) => n + t.cloud.positions.length / 3, 0)
    let ground!: SkinGround
    const trial = seconds(() => (ground = trialSkin(takes)))
    const noFrames = trialSkin(
      takes.map(({ cloud, motion }) => ({
        motion,
        cloud: { kind: 'cloud', positions: cloud.positions, normals: cloud.normals! },
      })),
    )
    process.stdout.write(
      `${name}: trial in ${trial.toFixed(2)} s, ${ground.areaMm2.toFixed(0)} mm², without frames ${noFrames.areaMm2.toFixed(0)}\n`,
    )
    for (const by of FINEST) {
      const spacingMm = Number((by * fusedMm * 1.4).toPrecision(2))
      const forecast = forecastSkin(ground, spacingMm)
      if (forecast.faces > 3e6) continue
      globalThis.gc?.()
      const before = held()
      let peak = before
      const context = { ...quietContext(1), progress: () => (peak = Math.max(peak, held())) }
      let faces = 0
      const took = median(
        [1, 2, 3].map(() =>
          seconds(() => {
            const { mesh } = makeSkin(takes, { spacingMm }, context)
            faces = mesh.indices.length / 3
            peak = Math.max(peak, held())
          }),
        ),
      )
      rows.push({
        piece: name,
        points,
        spacingMm,
        faces: [forecast.faces, faces],
        megabytes: [forecast.memoryBytes / 1e6, (peak - before) / 1e6],
        work: forecast.work,
        areaMm2: ground.areaMm2,
        extentMm: ground.extentMm ?? [],
        seconds: took,
      })
      const r = rows.at(-1)!
      process.stdout.write(
        `${name} ${points} points at ${spacingMm} mm: faces ${share(r.faces)}, memory ${share(r.megabytes)}, ` +
          `${took.toFixed(2)} s for ${forecast.work.toFixed(2)} units, area ${ground.areaMm2.toFixed(0)} mm²\n`,
      )
    }
  }
const perUnit = median(rows.map((r) => r.seconds / r.work))
const off = (of: (r: Row) => number): string => {
  const v = rows.map((r) => Math.abs(of(r) - 1)).sort((a, b) => a - b)
  const within = v.filter((x) => x <= 0.2).length
  return `within 20 %: ${within} of ${v.length}; worst ${(v.at(-1)! * 100).toFixed(0)} %`
}
process.stdout.write(
  `triangles ${off((r) => r.faces[1] / r.faces[0])}\n` +
    `memory ${off((r) => r.megabytes[1] / r.megabytes[0])}\n` +
    `time at ${perUnit.toFixed(2)} s a unit ${off((r) => r.seconds / (perUnit * r.work))}\n`,
)

function held(): number {
  const { heapUsed, arrayBuffers } = process.memoryUsage()
  return heapUsed + arrayBuffers
}
function share([forecast, came]: readonly [number, number]): string {
  return `${Math.round(came)} (${((came / forecast) * 100).toFixed(0)} % of forecast)`
}
function median(values: readonly number[]): number {
  return [...values].sort((a, b) => a - b)[values.length >> 1]
}
