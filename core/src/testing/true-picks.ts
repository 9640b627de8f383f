import { surfacePlaces } from '../cameras/surface-places'
import type { PhotoPick } from '../cameras/pose-from-picks'
import { seededRandom } from '../linear/random'
import type { TriangleMesh } from '../shapes'
import { project, type Camera } from '../view/camera'

/** Looked at from so far aside a place is hard to hit. */
const WELL_SEEN = 60

/** Places a photo shows well, spread wide, with where a hand of some noise would pick them. Same seed, same picks. */
export function truePicks(
  mesh: TriangleMesh,
  camera: Camera,
  count: number,
  noisePx: number,
  seed: number,
): PhotoPick[] {
  const { positions: p } = mesh
  const { scores } = surfacePlaces(mesh, [camera], Infinity)
  const seen = Array.from(scores.keys()).filter((i) => scores[i] > WELL_SEEN)
  const random = seededRandom(seed)
  const far = (a: number, b: number): number =>
    Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2])
  const chosen = [seen[Math.floor(random.next() * seen.length)]]
  while (chosen.length < count) {
    const offered = Array.from({ length: 40 }, () => seen[Math.floor(random.next() * seen.length)])
    const gap = (i: number): number => Math.min(...chosen.map((c) => far(i, c)))
    chosen.push(offered.reduce((best, i) => (gap(i) > gap(best) ? i : best)))
  }
  const shown = new Float64Array(3)
  return chosen.map((i) => {
    project(camera, p[i * 3], p[i * 3 + 1], p[i * 3 + 2], shown)
    return {
      px: [shown[0] + noisePx * random.gaussian(), shown[1] + noisePx * random.gaussian()],
      at: [p[i * 3], p[i * 3 + 1], p[i * 3 + 2]],
    }
  })
}

/** How far apart two cameras show the points of a surface, px: root of the mean square. */
export function apartPx({ positions: p }: TriangleMesh, a: Camera, b: Camera): number {
  const one = new Float64Array(3),
    other = new Float64Array(3)
  let sum = 0,
    n = 0
  for (let i = 0; i < p.length; i += 3 * 37) {
    project(a, p[i], p[i + 1], p[i + 2], one)
    project(b, p[i], p[i + 1], p[i + 2], other)
    sum += (one[0] - other[0]) ** 2 + (one[1] - other[1]) ** 2
    n++
  }
  return Math.sqrt(sum / n)
}
