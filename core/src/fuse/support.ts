import { checkpoint, type RunContext } from '../context'
import { CellIndex } from '../spatial/cell-index'
import { NO_COLOUR } from '../shapes'
import type { FusePoints } from './points'

/** What the takes say of a surface's points. */
export interface Support {
  /** Per point: 1 where a take has points near enough that face as it does. */
  readonly measured: Uint8Array
  /** Per point: mean sRGB of the points near it, else the grey of no colour; left out where no take has colours. */
  readonly colours?: Uint8Array
  /** For each take: sums over its points near each point of the surface. */
  readonly takes: readonly TakeSupport[]
}
export interface TakeSupport {
  /** How far its points lie outside the surface, mm, summed. */
  readonly offMm: Float32Array
  readonly count: Float32Array
  /** Their squares about their mean there, summed, mm²; left out where nobody asked. */
  readonly squaresMm2?: Float32Array
  /** Spread of its points about their mean there, mm, over the whole surface. */
  readonly noiseMm: number
}

/** A point speaks for the surface within so many spacings of its own take. */
export const SUPPORT_SPACINGS = 1.5
/** A point has to face so much as the surface does (cosine); the rim of a blade faces a little as its sides do. */
const LEAST_FACING = 0.2

/**
 * Looks round each point of a surface for points of each take, as far as that take's own spacing says.
 * @param positions xyz mm @param normals xyz unit, of the surface @param withSquares whether squares are kept a point
 */
export function supportOf(
  positions: Float32Array,
  normals: Float32Array,
  points: FusePoints,
  context: RunContext,
  withSquares = false,
): Support {
  const n = positions.length / 3
  const measured = new Uint8Array(n)
  const sums = points.colours ? new Float32Array(n * 4) : null
  const takes = points.takes.map(({ from, to, spacingMm }, t) => {
    checkpoint(context, t, points.takes.length, 'Marking what was measured')
    const offMm = new Float32Array(n),
      count = new Float32Array(n),
      squaresMm2 = withSquares ? new Float32Array(n) : null
    const reach = SUPPORT_SPACINGS * spacingMm
    // Cells two reaches wide: what is within reach lies in eight of them at most.
    const cells = new CellIndex(points.positions.subarray(from * 3, to * 3), 2 * reach)
    let squares = 0,
      freedoms = 0
    for (let v = 0; v < n; v++) {
      const x = positions[v * 3],
        y = positions[v * 3 + 1],
        z = positions[v * 3 + 2]
      const nx = normals[v * 3],
        ny = normals[v * 3 + 1],
        nz = normals[v * 3 + 2]
      const edge = cells.edgeMm
      const x1 = Math.floor((x + reach) / edge),
        y1 = Math.floor((y + reach) / edge),
        z1 = Math.floor((z + reach) / edge)
      let found = 0,
        off = 0,
        square = 0
      for (let cz = Math.floor((z - reach) / edge); cz <= z1; cz++)
        for (let cy = Math.floor((y - reach) / edge); cy <= y1; cy++)
          for (let cx = Math.floor((x - reach) / edge); cx <= x1; cx++) {
            const cell = cells.find(cx, cy, cz)
            if (cell < 0) continue
            for (let i = cells.start[cell]; i < cells.start[cell + 1]; i++) {
              const p = from + cells.items[i]
              const dx = points.positions[p * 3] - x,
                dy = points.positions[p * 3 + 1] - y,
                dz = points.positions[p * 3 + 2] - z
              const d2 = dx * dx + dy * dy + dz * dz
              if (d2 > reach * reach) continue
              const facing =
                points.normals[p * 3] * nx + points.normals[p * 3 + 1] * ny + points.normals[p * 3 + 2] * nz
              if (facing < LEAST_FACING) continue
              const out = dx * nx + dy * ny + dz * nz
              found++
              off += out
              square += out * out
              if (sums && points.colours && points.coloured![p]) {
                const near = 1 - d2 / (reach * reach)
                const k = near * near * points.weights[p] + 1e-6
                for (let c = 0; c < 3; c++) sums[v * 4 + c] += k * points.colours[p * 3 + c]
                sums[v * 4 + 3] += k
              }
            }
          }
      if (found === 0) continue
      measured[v] = 1
      offMm[v] = off
      count[v] = found
      if (found > 2) {
        const about = Math.max(0, square - (off * off) / found)
        if (squaresMm2) squaresMm2[v] = about
        squares += about
        freedoms += found - 1
      }
    }
    return {
      offMm,
      count,
      ...(squaresMm2 && { squaresMm2 }),
      noiseMm: freedoms > 0 ? Math.sqrt(Math.max(0, squares) / freedoms) : 0,
    }
  })
  return { measured, takes, ...(sums && { colours: colourMeans(sums) }) }
}

function colourMeans(sums: Float32Array): Uint8Array {
  const colours = new Uint8Array((sums.length / 4) * 3).fill(NO_COLOUR)
  for (let v = 0; v < sums.length / 4; v++) {
    const w = sums[v * 4 + 3]
    if (w > 0) for (let c = 0; c < 3; c++) colours[v * 3 + c] = Math.round(sums[v * 4 + c] / w)
  }
  return colours
}

/** So many points near a place are more than the ragged end of what was seen. */
const FIRM_POINTS = 4

/** Per point of the surface: 1 where it is held by more than a few points. */
export function firmly({ measured, takes }: Support): Uint8Array {
  return measured.map((_, v) => (takes.reduce((n, { count }) => n + count[v], 0) >= FIRM_POINTS ? 1 : 0))
}
