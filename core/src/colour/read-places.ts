import { seededRandom } from '../linear/random'
import type { Pixels } from '../pictures'
import { RowCamera } from './camera-rows'
import type { Readings } from './level-photos'
import { LIGHT_OF } from './srgb'

/** Places at which photos are held against each other. */
const PLACES = 4000
/** Bytes at which light is clipped, or lost in the noise. */
const CLIPPED = 250
const LOST = 3

/** What photos show at some points of a surface, gathered photo by photo. */
export class PlaceReadings {
  /** Numbers of the points. */
  readonly places: Int32Array
  private readonly rows: number[][] = []

  /** @param scores photos×points: only points that two photos or more show are taken */
  constructor(
    private readonly positions: Float32Array,
    private readonly normals: Float32Array,
    private readonly scores: Uint8Array,
    photos: number,
  ) {
    const points = positions.length / 3
    const shown = new Uint8Array(points)
    for (let p = 0; p < photos; p++)
      for (let i = 0; i < points; i++) if (scores[p * points + i] > 0 && shown[i] < 2) shown[i]++
    const wanted: number[] = []
    for (let i = 0; i < points; i++) if (shown[i] === 2) wanted.push(i)
    const random = seededRandom(1)
    const count = Math.min(PLACES, wanted.length)
    for (let k = 0; k < count; k++) {
      const other = k + Math.floor(random.next() * (wanted.length - k))
      ;[wanted[k], wanted[other]] = [wanted[other], wanted[k]]
    }
    this.places = Int32Array.from(wanted.slice(0, count)).sort()
  }

  /** Reads one photo; it may be smaller than its camera says. */
  add(photo: number, cameras: Float64Array, { width, height, rgb }: Pixels): void {
    const camera = new RowCamera(cameras, photo)
    const kx = width / camera.width,
      ky = height / camera.height
    const { positions: p, normals: n, scores } = this
    const points = p.length / 3
    const turned = new Float64Array(3)
    this.places.forEach((i, k) => {
      const score = scores[photo * points + i]
      if (score === 0) return
      camera.project(p[i * 3], p[i * 3 + 1], p[i * 3 + 2])
      const u = camera.u * kx - 0.5,
        v = camera.v * ky - 0.5
      if (!(u >= 0 && v >= 0 && u < width - 1 && v < height - 1)) return
      const x = Math.floor(u),
        y = Math.floor(v)
      const light: number[] = []
      for (let c = 0; c < 3; c++) {
        let sum = 0
        for (let corner = 0; corner < 4; corner++) {
          const dx = corner & 1,
            dy = corner >> 1
          const byte = rgb[((y + dy) * width + x + dx) * 3 + c]
          if (byte >= CLIPPED || (c === 1 && byte <= LOST)) return
          sum += (dx ? u - x : 1 - u + x) * (dy ? v - y : 1 - v + y) * LIGHT_OF[byte]
        }
        light.push(sum)
      }
      camera.turn(n[i * 3], n[i * 3 + 1], n[i * 3 + 2], turned)
      this.rows.push([k, photo, ...turned, ...light, score])
    })
  }

  /** All that was read, point by point. */
  readings(): Readings {
    const rows = this.rows.slice().sort((a, b) => a[0] - b[0] || a[1] - b[1])
    const first = new Int32Array(this.places.length + 1)
    for (const r of rows) first[r[0] + 1]++
    for (let k = 0; k < this.places.length; k++) first[k + 1] += first[k]
    return {
      first,
      photo: Uint16Array.from(rows, (r) => r[1]),
      facing: Float32Array.from(rows.flatMap((r) => r.slice(2, 5))),
      light: Float32Array.from(rows.flatMap((r) => r.slice(5, 8))),
      weight: Float32Array.from(rows, (r) => r[8] / 255),
    }
  }
}
