/** Indigo inside, paper at zero, umber outside, in nine steps up to ± range: never a rainbow. */
const STOPS = [
  [59, 63, 140],
  [245, 241, 232],
  [138, 90, 34],
] as const

export function deviationColours(distanceMm: Float32Array, rangeMm: number): Uint8Array {
  const out = new Uint8Array(distanceMm.length * 3)
  for (let i = 0; i < distanceMm.length; i++) {
    const t = Math.round(Math.max(-1, Math.min(1, distanceMm[i] / rangeMm)) * 4) / 4
    const to = t < 0 ? STOPS[0] : STOPS[2]
    for (let c = 0; c < 3; c++) out[i * 3 + c] = Math.round(STOPS[1][c] + (to[c] - STOPS[1][c]) * Math.abs(t))
  }
  return out
}
