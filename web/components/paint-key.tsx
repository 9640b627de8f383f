'use client'
import type { PlanView } from '@/lib/plan-desk'

const SEEN_KEY = [
  ['well', 'seen well'],
  ['thinly', 'seen thinly'],
  ['open', 'could be seen'],
  ['reach', 'out of reach'],
] as const

/** What the paint on a piece means. */
export function PaintKey({ view = 'seen' }: { view?: PlanView }) {
  return (
    <div
      className="pointer-events-none absolute top-3 right-3.5 flex items-center gap-3 rounded-md border border-hair bg-card px-2.5 py-1.5 text-[12px] text-graphite"
      aria-label="Key"
    >
      {view === 'angle' ? (
        <>
          {[0, 15, 30, 45, 60, 75].map((a, i) => (
            <Swatch
              key={a}
              style={{ background: `rgb(${[78, 128, 152].map((c) => Math.round(c + ((222 - c) * i) / 5)).join()})` }}
              label={`${a}°`}
            />
          ))}
          <Swatch style={HATCH.open} label="unseen" />
        </>
      ) : view === 'shared' ? (
        <>
          {[1, 2, 3, 4].map((n) => (
            <Swatch
              key={n}
              style={{
                background: `rgb(${[78, 128, 152].map((c) => Math.round(c + ((212 - c) * (4 - n)) / 3)).join()})`,
              }}
              label={n === 4 ? '4 takes or more' : n === 1 ? '1 take' : `${n}`}
            />
          ))}
          <Swatch style={HATCH.open} label="none" />
        </>
      ) : (
        SEEN_KEY.map(([k, label]) => <Swatch key={k} style={HATCH[k]} label={label} />)
      )}
    </div>
  )
}

export const HATCH: Readonly<Record<'well' | 'thinly' | 'open' | 'reach', React.CSSProperties>> = {
  well: { background: '#4E8098' },
  thinly: { background: 'radial-gradient(circle, #4E8098 1.1px, transparent 1.3px) 0 0/5px 5px, #B3C8D0' },
  open: { background: 'repeating-linear-gradient(45deg, #4E8098 0 1.5px, #F0EADB 1.5px 5px)' },
  reach: {
    background:
      'repeating-linear-gradient(45deg, #5B6168 0 1.2px, transparent 1.2px 5px), ' +
      'repeating-linear-gradient(-45deg, #5B6168 0 1.2px, #CFC8BB 1.2px 5px)',
  },
}

function Swatch({ style, label }: { style: React.CSSProperties; label: string }) {
  return (
    <span className="flex items-center gap-1.5">
      <i className="inline-block h-3 w-5 rounded-[2px] border border-hair" style={style} />
      {label}
    </span>
  )
}
