import { allocate } from '../parallel/allocate'

/**
 * The texels of a sheet that belong to a face: those whose middle lies in it. Of faces that share an edge each texel
 * has one, as both find the same crossing of that edge with a row. One object serves all faces.
 */
export class FaceTexels {
  count = 0
  /** Place on the sheet, y·side + x, and what the second and third corner weigh there. */
  at = new Int32Array(64)
  second = new Float32Array(64)
  third = new Float32Array(64)

  constructor(
    private readonly uvs: Float32Array,
    private readonly side: number,
  ) {}

  fill(face: number): void {
    const { uvs, side } = this
    const k = face * 6
    const ax = uvs[k] * side,
      ay = uvs[k + 1] * side,
      bx = uvs[k + 2] * side,
      by = uvs[k + 3] * side,
      cx = uvs[k + 4] * side,
      cy = uvs[k + 5] * side
    this.count = 0
    const twice = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax)
    if (twice === 0) return
    const y0 = Math.max(0, Math.ceil(Math.min(ay, by, cy) - 0.5)),
      y1 = Math.min(side, Math.ceil(Math.max(ay, by, cy) - 0.5))
    for (let y = y0; y < y1; y++) {
      const middle = y + 0.5
      let from = Infinity,
        to = -Infinity
      for (let e = 0; e < 3; e++) {
        const x =
          e === 0
            ? crossing(ax, ay, bx, by, middle)
            : e === 1
              ? crossing(bx, by, cx, cy, middle)
              : crossing(cx, cy, ax, ay, middle)
        if (x < from) from = x
        if (x > to) to = x
      }
      if (!(from < to)) continue
      const x0 = Math.max(0, Math.ceil(from - 0.5)),
        x1 = Math.min(side, Math.ceil(to - 0.5))
      if (this.count + x1 - x0 > this.at.length) this.grow(x1 - x0)
      const dy = middle - ay
      for (let x = x0; x < x1; x++) {
        const dx = x + 0.5 - ax
        this.at[this.count] = y * side + x
        this.second[this.count] = (dx * (cy - ay) - dy * (cx - ax)) / twice
        this.third[this.count] = ((bx - ax) * dy - (by - ay) * dx) / twice
        this.count++
      }
    }
  }

  private grow(more: number): void {
    const room = 2 * (this.count + more)
    const copy = <T extends Int32Array | Float32Array>(from: T, to: T): T => {
      to.set(from)
      return to
    }
    this.at = copy(this.at, new Int32Array(room))
    this.second = copy(this.second, new Float32Array(room))
    this.third = copy(this.third, new Float32Array(room))
  }
}

/** Where an edge crosses a row, whichever way it runs; NaN where it does not. */
function crossing(ax: number, ay: number, bx: number, by: number, y: number): number {
  if (ay > by || (ay === by && ax > bx)) return crossing(bx, by, ax, ay, y)
  return ay <= y && y < by ? ax + ((y - ay) * (bx - ax)) / (by - ay) : NaN
}

/** Where the texels of each face begin in one list of all; the last number says how many there are. */
export function texelStarts(uvs: Float32Array, side: number, shared: boolean): Int32Array {
  const faces = uvs.length / 6
  const out = allocate(Int32Array, faces + 1, shared)
  const texels = new FaceTexels(uvs, side)
  for (let f = 0; f < faces; f++) {
    texels.fill(f)
    out[f + 1] = out[f] + texels.count
  }
  return out
}
