'use client'
import { Slider } from 'radix-ui'

/** A bar with what it is for before it, and its value in words behind. */
export function SlideRow({
  label,
  said,
  shown = said,
  ...bar
}: Omit<BarProps, 'className' | 'said'> & { said: string; shown?: string }) {
  return (
    <div className="flex items-center gap-3 text-[13px]">
      <span className="shrink-0">{label}</span>
      <SlideBar label={label} said={said} className="flex-1" {...bar} />
      <span className="figure w-12 text-right">{shown}</span>
    </div>
  )
}

interface BarProps {
  label: string
  /** The value in words, for who hears it. */
  said?: string
  value: number
  min: number
  max: number
  step?: number
  onChange: (v: number) => void
  className?: string
}

/** A bar with a knob; arrows go a step, Page Up and Down ten, Home and End to its ends. */
export function SlideBar({ label, said, value, min, max, step = 1, onChange, className = '' }: BarProps) {
  return (
    <Slider.Root
      className={`relative flex h-8 touch-none items-center ${className}`}
      min={min}
      max={max}
      step={step}
      value={[Math.min(max, Math.max(min, value))]}
      onValueChange={([v]) => onChange(v)}
    >
      <Slider.Track className="relative h-1 grow rounded bg-hair">
        <Slider.Range className="absolute h-1 rounded bg-ink" />
      </Slider.Track>
      <Slider.Thumb
        aria-label={label}
        aria-valuetext={said}
        className="block h-5 w-5 rounded-full border-2 border-ink bg-card"
      />
    </Slider.Root>
  )
}
