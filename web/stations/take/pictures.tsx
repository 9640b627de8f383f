'use client'
import { useEffect, useRef } from 'react'
import { PIXEL, type Picture } from '@holosoma/core/bench'

/**
 * One of the device's pictures; clipped places are hatched, starved ones dotted, what lies outside the band is washed
 * out.
 */
export function DevicePicture({
  picture,
  which,
  label,
}: {
  picture: Picture
  which: 'plain' | 'pattern'
  label: string
}) {
  const canvas = useRef<HTMLCanvasElement>(null)
  useEffect(() => {
    const g = canvas.current?.getContext('2d')
    if (!g) return
    const { pixels: n, state } = picture
    const grey = picture[which]
    const image = g.createImageData(n, n)
    for (let v = 0, i = 0; v < n; v++)
      for (let u = 0; u < n; u++, i++) {
        const [r, gr, b] = tone(grey[i], state[i], u, v)
        image.data.set([r, gr, b, 255], i * 4)
      }
    g.putImageData(image, 0, 0)
    // The middle, where the stand-off is meant to be.
    g.strokeStyle = '#2B7A70'
    const m = n / 2
    g.beginPath()
    for (const [dx, dy] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ] as const) {
      g.moveTo(m + dx * 3, m + dy * 3)
      g.lineTo(m + dx * 9, m + dy * 9)
    }
    g.stroke()
  }, [picture, which])
  return (
    <figure className="min-w-0">
      <canvas
        ref={canvas}
        width={picture.pixels}
        height={picture.pixels}
        role="img"
        aria-label={label}
        className="aspect-square w-full rounded-md border border-hair"
      />
      <figcaption className="mt-0.5 text-[12px] text-graphite">{label}</figcaption>
    </figure>
  )
}

const INK: readonly [number, number, number] = [35, 39, 43]

function tone(grey: number, state: number, u: number, v: number): readonly [number, number, number] {
  // Warm greys on paper, not a black screen.
  const base = [Math.min(255, grey * 1.02), grey * 0.99, grey * 0.93] as const
  if (state === PIXEL.nothing) return [236, 229, 213]
  if (state === PIXEL.clipped) return (u + v) % 6 < 2 ? INK : [255, 252, 240]
  if (state === PIXEL.starved) return u % 5 === 0 && v % 5 === 0 ? [251, 249, 244] : [46, 46, 48]
  if (state === PIXEL.tooNear || state === PIXEL.tooFar)
    return (u - v + 600) % 7 < 1 ? INK : [(base[0] + 470) / 3, (base[1] + 460) / 3, (base[2] + 430) / 3]
  if (state === PIXEL.shadow) return [base[0] * 0.55, base[1] * 0.55, base[2] * 0.6]
  return base
}

interface StripProps {
  nearMm: number
  farMm: number
  standOffMm: number
  nearestMm: number
  farthestMm: number
  middleMm: number
}

/**
 * The depth band as a section of a ruler, with where the piece begins, ends, and what lies in the middle of the
 * picture.
 */
export function DepthStrip({ nearMm, farMm, standOffMm, nearestMm, farthestMm, middleMm }: StripProps) {
  const pad = (farMm - nearMm) * 0.35
  const low = Math.min(nearMm, nearestMm || nearMm) - pad,
    high = Math.max(farMm, farthestMm || farMm) + pad
  const x = (mm: number): number => 8 + ((mm - low) / (high - low)) * 324
  const step = [1, 2, 5, 10, 20, 50, 100, 200].find((s) => (high - low) / s <= 14) ?? 500
  const ticks = Array.from(
    { length: Math.floor(high / step) - Math.ceil(low / step) + 1 },
    (_, i) => (Math.ceil(low / step) + i) * step,
  )
  return (
    <svg
      viewBox="0 0 340 62"
      className="w-full"
      role="img"
      aria-label={`Depth band ${nearMm} to ${farMm} mm; the piece lies at ${Math.round(nearestMm)} to ${Math.round(farthestMm)} mm`}
      data-testid="depth-strip"
    >
      <rect x="4" y="8" width="332" height="34" rx="3" fill="#f1ecdf" stroke="var(--color-hair)" />
      <rect x={x(nearMm)} y="8" width={x(farMm) - x(nearMm)} height="34" fill="#d5e3de" />
      {ticks.map((t) => (
        <g key={t}>
          <line
            x1={x(t)}
            x2={x(t)}
            y1={(t / step) % 5 === 0 ? 28 : 34}
            y2="42"
            stroke="var(--color-graphite)"
            strokeWidth="1"
          />
          {x(t) > 16 && x(t) < 324 && (ticks.length < 9 || (t / step) % 2 === 0) && (
            <text x={x(t)} y="56" textAnchor="middle" fontSize="12" fill="var(--color-graphite)" className="figure">
              {t}
            </text>
          )}
        </g>
      ))}
      <line
        x1={x(standOffMm)}
        x2={x(standOffMm)}
        y1="8"
        y2="42"
        stroke="var(--color-verdigris)"
        strokeDasharray="3 2"
      />
      {nearestMm > 0 && (
        <>
          <line
            x1={x(nearestMm)}
            x2={x(farthestMm)}
            y1="19"
            y2="19"
            stroke="var(--color-ink)"
            strokeWidth="5"
            strokeLinecap="round"
          />
          <circle
            cx={x(middleMm || (nearestMm + farthestMm) / 2)}
            cy="19"
            r="3.4"
            fill="var(--color-card)"
            stroke="var(--color-ink)"
            strokeWidth="1.6"
          />
        </>
      )}
    </svg>
  )
}
