import { estimateFeatures } from '../core/src/cloud/normals'
import { statisticalInliers } from '../core/src/cloud/outliers'
import { thinEvenly } from '../core/src/cloud/thin'
import { quietContext } from '../core/src/context'
import { addDepth, chunksOf, countBits, emptyDepth, selectByBrush, selectInPolygon, withTolerance, type View } from '../core/src/select'
import { bumpyBall } from './lib'

/** Lasso, front only, brush; outliers, normals and even thinning: clouds of a million points (a bumpy ball), one core. */
const TAKES = 12, POINTS = 1_000_000
const clouds = Array.from({ length: TAKES }, (_, t) => ({ kind: 'cloud' as const, ...bumpyBall(POINTS, t + 1) }))
const view: View = { matrix: [0, 0.012, 0, 0, 0, 0, 0.018, 0, -0.001, 0, 0, 0, 0, 0, 0, 1], width: 870, height: 580 }
const lasso = Array.from({ length: 80 }, (_, k) => [435 + 160 * Math.cos(k / 12.7) * (1 + 0.2 * Math.sin(k)), 290 + 140 * Math.sin(k / 12.7)]).flat()
const time = (what: string, run: () => string): void => {
  const from = performance.now()
  const found = run()
  process.stdout.write(`${what}: ${(performance.now() - from).toFixed(0)} ms (${found})\n`)
}
const chunks = clouds.map((c) => chunksOf(c.positions))
for (let round = 0; round < 2; round++) {
  time(`lasso through, ${TAKES} × ${POINTS}`, () => String(clouds.reduce((s, c, i) => s + countBits(selectInPolygon(c, view, lasso, chunks[i]!, null)), 0)))
  time('lasso front only, all takes hiding each other', () => {
    const depth = emptyDepth(view.width, view.height)
    for (const c of clouds) addDepth(depth, c, view, 0.17)
    return String(clouds.reduce((s, c, i) => s + countBits(selectInPolygon(c, view, lasso, chunks[i]!, withTolerance(depth, 0.17))), 0))
  })
  time('brush of 3 mm, one stretch, all takes', () => String(clouds.reduce((s, c, i) => s + countBits(selectByBrush(c, [50, 0, 0, 49, 5, 3], 3, chunks[i]!)), 0)))
}
const one = clouds[0]!
time('statistical outliers, a million points, 20 neighbours', () => String(statisticalInliers(one, 20, 2, quietContext()).reduce((s, v) => s + v, 0)))
time('normals, a million points, 20 neighbours', () => String(estimateFeatures({ kind: 'cloud', positions: one.positions }, quietContext()).spacingMm))
const five = new Float32Array(5 * POINTS * 3)
for (let t = 0; t < 5; t++) five.set(clouds[t]!.positions, t * POINTS * 3)
time('even thinning, five million points to 0.5 mm', () => String(thinEvenly({ kind: 'cloud', positions: five }, 0.5).length))
