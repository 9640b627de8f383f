import { FaceTexels } from './face-texels'
import { byteOf, LIGHT_OF } from './srgb'

/** Sweeps of relaxation at most, and when it is enough: the largest change, in linear light. */
const SWEEPS = 400
const ENOUGH = 2e-4
/** Over-relaxation (Young 1954): what is far from the rim is reached sooner. */
const OVER = 1.7

/**
 * Colours of all points: of those at faces that photos told, what the sheet shows at them; of the others the smoothest
 * that goes on from those round them over the surface (Laplace's equation on the mesh's edges), so that a gap in a
 * hollow takes its colour from its own rim and not from what lies beside it on the sheet.
 * @param told faces that photos told
 * @returns bytes, and which points were told
 */
export function pointColoursOf(
  indices: Uint32Array,
  points: number,
  uvs: Float32Array,
  sheet: Uint8Array,
  side: number,
  told: Uint8Array,
): { colours: Uint8Array; seen: Uint8Array } {
  const light = new Float32Array(points * 3),
    count = new Uint16Array(points)
  for (let f = 0; f < told.length; f++) {
    if (!told[f]) continue
    for (let c = 0; c < 3; c++) {
      const v = indices[f * 3 + c]
      // A hair towards the middle: the corner's own texel may be a neighbour's.
      const k = f * 6
      const u = 0.8 * uvs[k + c * 2] + 0.1 * (uvs[k + ((c + 1) % 3) * 2] + uvs[k + ((c + 2) % 3) * 2])
      const w = 0.8 * uvs[k + c * 2 + 1] + 0.1 * (uvs[k + ((c + 1) % 3) * 2 + 1] + uvs[k + ((c + 2) % 3) * 2 + 1])
      const x = Math.min(side - 1, Math.floor(u * side)),
        y = Math.min(side - 1, Math.floor(w * side))
      const o = (y * side + x) * 3
      if (count[v] === 65535 || (sheet[o] | sheet[o + 1] | sheet[o + 2]) === 0) continue
      count[v]++
      for (let j = 0; j < 3; j++) light[v * 3 + j] += LIGHT_OF[sheet[o + j]]
    }
  }
  const seen = new Uint8Array(points)
  for (let v = 0; v < points; v++)
    if (count[v] > 0) {
      seen[v] = 1
      for (let j = 0; j < 3; j++) light[v * 3 + j] /= count[v]
    }
  relax(indices, light, seen)
  return { colours: Uint8Array.from(light, byteOf), seen }
}

/** Gauss and Seidel's sweeps over the points that were not seen, from the rim inwards. */
function relax(indices: Uint32Array, light: Float32Array, seen: Uint8Array): void {
  const points = seen.length
  const start = new Int32Array(points + 1)
  const wanted = (v: number): boolean => seen[v] === 0
  for (let h = 0; h < indices.length; h++) if (wanted(indices[h])) start[indices[h] + 1] += 2
  for (let v = 0; v < points; v++) start[v + 1] += start[v]
  const next = new Int32Array(start[points])
  const at = start.slice()
  for (let f = 0; f < indices.length; f += 3)
    for (let c = 0; c < 3; c++) {
      const v = indices[f + c]
      if (!wanted(v)) continue
      next[at[v]++] = indices[f + ((c + 1) % 3)]
      next[at[v]++] = indices[f + ((c + 2) % 3)]
    }
  // Nearest the rim first: each begins with the mean of those already reached.
  const order: number[] = []
  const reached = seen.slice()
  let front: number[] = []
  for (let v = 0; v < points; v++)
    for (let k = start[v]; k < start[v + 1]; k++)
      if (seen[next[k]]) {
        front.push(v)
        reached[v] = 2
        break
      }
  while (front.length > 0) {
    const coming: number[] = []
    for (const v of front) {
      order.push(v)
      const sum = [0, 0, 0]
      let n = 0
      for (let k = start[v]; k < start[v + 1]; k++) {
        const o = next[k]
        if (reached[o] === 1) {
          n++
          for (let j = 0; j < 3; j++) sum[j] += light[o * 3 + j]
        } else if (reached[o] === 0) {
          reached[o] = 2
          coming.push(o)
        }
      }
      for (let j = 0; j < 3; j++) light[v * 3 + j] = n > 0 ? sum[j] / n : 0.35
    }
    for (const v of front) reached[v] = 1
    front = coming
  }
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    let most = 0
    for (const v of order) {
      const n = start[v + 1] - start[v]
      for (let j = 0; j < 3; j++) {
        let sum = 0
        for (let k = start[v]; k < start[v + 1]; k++) sum += light[next[k] * 3 + j]
        const change = sum / n - light[v * 3 + j]
        most = Math.max(most, Math.abs(change))
        light[v * 3 + j] += OVER * change
      }
    }
    if (most < ENOUGH) break
  }
  for (let v = 0; v < points; v++) if (reached[v] === 0) for (let j = 0; j < 3; j++) light[v * 3 + j] = 0.35
}

/** Paints the texels of faces that no photo told, from the colours of their corners. */
export function paintUntold(
  indices: Uint32Array,
  uvs: Float32Array,
  sheet: Uint8Array,
  side: number,
  told: Uint8Array,
  colours: Uint8Array,
): void {
  const texels = new FaceTexels(uvs, side)
  for (let f = 0; f < told.length; f++) {
    if (told[f]) continue
    texels.fill(f)
    const [a, b, c] = [indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3]
    for (let i = 0; i < texels.count; i++) {
      const s = texels.second[i],
        t = texels.third[i]
      for (let j = 0; j < 3; j++) {
        const v = byteOf(
          (1 - s - t) * LIGHT_OF[colours[a + j]] + s * LIGHT_OF[colours[b + j]] + t * LIGHT_OF[colours[c + j]],
        )
        sheet[texels.at[i] * 3 + j] = j === 2 ? Math.max(1, v) : v
      }
    }
  }
}
