import { estimateFeatures } from '../core/src/cloud/normals'
import { statisticalInliers } from '../core/src/cloud/outliers'
import { thinEvenly } from '../core/src/cloud/thin'
import { quietContext } from '../core/src/context'
import {
  addDepth,
  chunksOf,
  countBits,
  emptyDepth,
  frontOf,
  pixelsOf,
  selectByBrush,
  selectInPolygon,
  withTolerance,
  type View,
} from '../core/src/select'
import { bumpyBall } from './lib'

/**
 * Lasso, front only, brush; outliers, normals and even thinning: clouds of a million points (a bumpy ball), one core.
 */
const TAKES = 12,
  POINTS = 1_000_000
const clouds = Array.from({ length: TAKES }, (_, t) => ({ kind: 'cloud' as const, ...bumpyBall(POINTS, t + 1) }))
const view: View = { matrix: [0, 0.012, 0, 0, 0, 0, 0.018, 0, -0.001, 0, 0, 0, 0, 0, 0, 1], width: 870, height: 580 }
const lasso = Array.from({ length: 80 }, (_, k) => [
  435 + 160 * Math.cos(k / 12.7) * (1 + 0.2 * Math.sin(k)),
  290 + 140 * Math.sin(k / 12.7),
]).flat()
const time = (what: string, run: () => string): void => {
  const from = performance.now()
  const found = run()
  process.stdout.write(`${what}: ${(performance.now() - from).toFixed(0)} ms (${found})\n`)
}
const total = (sets: Uint8Array[]): string => String(sets.reduce((sum, bits) => sum + countBits(bits), 0))
let chunks = clouds.map((c) => chunksOf(c.positions))
let pixels: Uint32Array[] = [],
  shows: Uint8Array[] = []
for (let round = 0; round < 2; round++) {
  time(`while the hand draws: places on the stage, ${TAKES} × ${POINTS}`, () => {
    pixels = clouds.map((c) => pixelsOf(c, view))
    return String(pixels.length)
  })
  time('while the hand draws: depth, and what nothing hides', () => {
    const depth = emptyDepth(view.width, view.height)
    for (const c of clouds) addDepth(depth, c, view, 0.17)
    shows = clouds.map((c, i) => frontOf(c, view, pixels[i], withTolerance(depth, 0.17)))
    return total(shows)
  })
  time('let go: lasso through', () => total(pixels.map((p) => selectInPolygon(p, view, lasso, null))))
  time('let go: lasso front only', () => total(pixels.map((p, i) => selectInPolygon(p, view, lasso, shows[i]))))
  time('boxes for the brush', () => {
    chunks = clouds.map((c) => chunksOf(c.positions))
    return String(chunks.length)
  })
  time('brush of 3 mm, one stretch, all takes', () =>
    total(clouds.map((c, i) => selectByBrush(c, [50, 0, 0, 49, 5, 3], 3, chunks[i]))),
  )
}
const one = clouds[0]
time('statistical outliers, a million points, 20 neighbours', () =>
  String(statisticalInliers(one, 20, 2, quietContext()).reduce((s, v) => s + v, 0)),
)
time('normals, a million points, 20 neighbours', () =>
  String(estimateFeatures({ kind: 'cloud', positions: one.positions }, quietContext()).spacingMm),
)
const five = new Float32Array(5 * POINTS * 3)
for (let t = 0; t < 5; t++) five.set(clouds[t].positions, t * POINTS * 3)
time('even thinning, five million points to 0.5 mm', () =>
  String(thinEvenly({ kind: 'cloud', positions: five }, 0.5).length),
)
