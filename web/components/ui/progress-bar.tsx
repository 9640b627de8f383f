'use client'
import { Progress } from 'radix-ui'

/** How far something is. @param share 0 to 1 */
export function ProgressBar({ label, share, className = '' }: { label: string; share: number; className?: string }) {
  const percent = Math.round(Math.min(1, Math.max(0, share)) * 100)
  return (
    <Progress.Root value={percent} aria-label={label} className={`h-1.5 overflow-hidden rounded bg-hair ${className}`}>
      <Progress.Indicator className="block h-full bg-verdigris" style={{ width: `${percent}%` }} />
    </Progress.Root>
  )
}
