/** Middle of a closed curve, the unit normal of its mean plane (Newell), and how far its corners lie from it in the mean. */
export interface CurvePose {
  readonly middle: readonly [number, number, number]
  readonly facing: readonly [number, number, number]
  readonly radiusMm: number
}

/** @param curve x, y, z of each corner; it runs counter-clockwise seen from where it faces */
export function poseOfCurve(curve: ArrayLike<number>): CurvePose {
  const corners = curve.length / 3
  const middle: [number, number, number] = [0, 0, 0]
  for (let i = 0; i < curve.length; i++) middle[i % 3] += curve[i] / corners
  const normal = [0, 0, 0]
  let radiusMm = 0
  for (let i = 0; i < curve.length; i += 3) {
    const k = (i + 3) % curve.length
    const a = middle.map((m, c) => curve[i + c] - m),
      b = middle.map((m, c) => curve[k + c] - m)
    for (let c = 0; c < 3; c++) normal[c] += a[(c + 1) % 3] * b[(c + 2) % 3] - a[(c + 2) % 3] * b[(c + 1) % 3]
    radiusMm += Math.hypot(...a) / corners
  }
  const length = Math.hypot(...normal) || 1
  return { middle, facing: [normal[0] / length, normal[1] / length, normal[2] / length], radiusMm }
}
