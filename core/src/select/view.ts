import { GeometryError } from '../errors'

/** How a stage shows things: what it takes to find an item's place on it. */
export interface View {
  /** 4×4, row by row: coordinates of the items → clip space. */
  readonly matrix: ArrayLike<number>
  /** Of the stage, in pixels. */
  readonly width: number
  readonly height: number
}

/** The places of a polygon on the stage, pixel by pixel: 1 inside (even–odd rule), rows from the top. */
export interface Mask {
  readonly left: number
  readonly top: number
  readonly width: number
  readonly height: number
  readonly inside: Uint8Array
}

/**
 * Fills a polygon, row by row at the middles of the pixels (scan conversion, even–odd).
 * @param polygon x, y, x, y … in pixels of the stage; closed by itself
 * @throws PARAMS when it has fewer than three corners or a corner is no number
 */
export function polygonMask(polygon: ArrayLike<number>, view: Pick<View, 'width' | 'height'>): Mask {
  const n = polygon.length >> 1
  if (n < 3) throw new GeometryError('PARAMS', 'Draw round the points: a lasso needs at least three corners.')
  for (let i = 0; i < 2 * n; i++)
    if (!Number.isFinite(polygon[i]))
      throw new GeometryError('PARAMS', 'A corner of the lasso is no place on the stage.')
  let minX = Infinity,
    minY = Infinity,
    maxX = -Infinity,
    maxY = -Infinity
  for (let i = 0; i < n; i++) {
    minX = Math.min(minX, polygon[2 * i])
    maxX = Math.max(maxX, polygon[2 * i])
    minY = Math.min(minY, polygon[2 * i + 1])
    maxY = Math.max(maxY, polygon[2 * i + 1])
  }
  const left = Math.max(0, Math.floor(minX)),
    top = Math.max(0, Math.floor(minY))
  const width = Math.max(0, Math.min(view.width, Math.ceil(maxX)) - left),
    height = Math.max(0, Math.min(view.height, Math.ceil(maxY)) - top)
  const inside = new Uint8Array(width * height)
  const cuts: number[] = []
  for (let row = 0; row < height; row++) {
    const y = top + row + 0.5
    cuts.length = 0
    for (let i = 0, j = n - 1; i < n; j = i++) {
      const ay = polygon[2 * i + 1],
        by = polygon[2 * j + 1]
      if (ay > y !== by > y) cuts.push(polygon[2 * i] + ((y - ay) / (by - ay)) * (polygon[2 * j] - polygon[2 * i]))
    }
    cuts.sort((a, b) => a - b)
    for (let k = 0; k + 1 < cuts.length; k += 2) {
      const from = Math.max(0, Math.ceil(cuts[k] - 0.5 - left)),
        to = Math.min(width, Math.ceil(cuts[k + 1] - 0.5 - left))
      if (to > from) inside.fill(1, row * width + from, row * width + to)
    }
  }
  return { left, top, width, height, inside }
}
