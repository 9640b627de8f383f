import type { ReactNode } from 'react'
import type { Verdict } from '@holosoma/core'

const VERDICT_COLOUR: Readonly<Record<Verdict, string>> = {
  sound: 'text-verdigris',
  doubtful: 'text-ochre',
  unsound: 'text-madder',
}

/** Full, half and barred disc: a verdict is never told by colour alone. */
export function VerdictMark({ verdict, size = 13 }: { verdict: Verdict | null; size?: number }) {
  const colour = verdict ? VERDICT_COLOUR[verdict] : 'text-hair'
  return (
    <svg width={size} height={size} viewBox="0 0 14 14" className={`${colour} shrink-0`} aria-hidden="true">
      <circle
        cx="7"
        cy="7"
        r="5.8"
        fill={verdict === 'sound' ? 'currentColor' : 'var(--color-paper)'}
        stroke="currentColor"
        strokeWidth="2"
      />
      {verdict === 'doubtful' && <path d="M7 1.2a5.8 5.8 0 0 0 0 11.6z" fill="currentColor" />}
      {verdict === 'unsound' && <path d="M3.2 10.8l7.6-7.6" stroke="currentColor" strokeWidth="2" />}
    </svg>
  )
}

export function VerdictWord({ verdict }: { verdict: Verdict }) {
  return (
    <span className={`inline-flex items-center gap-1.5 text-[13px] font-semibold ${VERDICT_COLOUR[verdict]}`}>
      <VerdictMark verdict={verdict} /> {verdict}
    </span>
  )
}

/** A sentence with its verdict's mark. */
export function Told({
  verdict,
  children,
  className = 'text-[13px]',
}: {
  verdict: Verdict
  children: ReactNode
  className?: string
}) {
  return (
    <p className={`flex items-start gap-1.5 ${className}`}>
      <span className="mt-0.5">
        <VerdictMark verdict={verdict} />
      </span>
      <span>{children}</span>
    </p>
  )
}
