/**
 * Draws a triangle into a buffer of 1/depth, which is linear over the picture (Heckbert 1989); the nearest stays.
 * @param inverse rows of `width`, 0 where there is nothing
 */
export function drawInverseDepth(
  inverse: Float32Array,
  width: number,
  height: number,
  ax: number,
  ay: number,
  az: number,
  bx: number,
  by: number,
  bz: number,
  cx: number,
  cy: number,
  cz: number,
): void {
  const area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
  if (!(area > 0)) return
  const x0 = Math.max(0, Math.ceil(Math.min(ax, bx, cx) - 0.5)),
    x1 = Math.min(width - 1, Math.floor(Math.max(ax, bx, cx) - 0.5))
  const y0 = Math.max(0, Math.ceil(Math.min(ay, by, cy) - 0.5)),
    y1 = Math.min(height - 1, Math.floor(Math.max(ay, by, cy) - 0.5))
  if (x0 > x1 || y0 > y1) return
  // Plane of 1/z over the picture.
  const gx = ((bz - az) * (cy - ay) - (cz - az) * (by - ay)) / area
  const gy = ((cz - az) * (bx - ax) - (bz - az) * (cx - ax)) / area
  for (let y = y0; y <= y1; y++) {
    const py = y + 0.5
    // Where the row enters and leaves the three edges.
    let from = x0,
      to = x1
    for (let e = 0; e < 3; e++) {
      const px = e === 0 ? ax : e === 1 ? bx : cx,
        qy = e === 0 ? ay : e === 1 ? by : cy
      const dx = (e === 0 ? bx : e === 1 ? cx : ax) - px,
        dy = (e === 0 ? by : e === 1 ? cy : ay) - qy
      // Inside is where dx·(py − qy) − dy·(X − px) ≥ 0.
      const k = dx * (py - qy) + dy * px
      if (dy < 0) from = Math.max(from, Math.ceil(k / dy - 0.5))
      else if (dy > 0) to = Math.min(to, Math.floor(k / dy - 0.5))
      else if (k < 0) to = -1
    }
    let value = az + gx * (from + 0.5 - ax) + gy * (py - ay)
    for (let i = y * width + from, end = y * width + to; i <= end; i++) {
      if (value > inverse[i]) inverse[i] = value
      value += gx
    }
  }
}
