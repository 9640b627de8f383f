'use client'

const RESIDUAL_STEPS = [
  [59, 63, 140],
  [128, 130, 172],
  [214, 208, 196],
  [190, 152, 112],
  [138, 90, 34],
] as const

/** Five steps from touching to two scatters apart; grey where the other take has nothing. */
export function residualTint(residual: Float32Array, scatter: number): Uint8Array {
  const out = new Uint8Array(residual.length * 3)
  for (let i = 0; i < residual.length; i++) {
    const step = Number.isNaN(residual[i]) ? null : RESIDUAL_STEPS[Math.min(4, Math.floor((residual[i] / scatter) * 2))]
    for (let c = 0; c < 3; c++) out[i * 3 + c] = step ? step[c] : 176
  }
  return out
}

export function ResidualKey({ scatter }: { scatter: number }) {
  return (
    <div
      className="absolute right-14 bottom-3 flex items-end gap-1 rounded-md border border-hair bg-card px-2 py-1 text-[12px] text-graphite"
      aria-label="Key of the residual"
    >
      {RESIDUAL_STEPS.map((c, i) => (
        <span key={i} className="text-center">
          <i className="block h-3 w-12" style={{ background: `rgb(${c.join()})` }} />
          <span className="figure">
            {i === 4 ? '≥ ' : ''}
            {((i * scatter) / 2).toFixed(2)}
          </span>
        </span>
      ))}
      <span>mm apart</span>
    </div>
  )
}
