'use client'
import { Choice } from '@/components/ui'
import { motionWords } from '@holosoma/core/align'
import { mm } from '@/lib/format'
import type { JoinSlide } from '@holosoma/core/operations'
import { useDesk } from '@/lib/store'

/** What moves on the stage, and how far it truly may. */
export function SlideNote({ slides, chosen }: { slides: readonly JoinSlide[]; chosen: JoinSlide }) {
  const set = useDesk((d) => d.set)
  const at = slides.indexOf(chosen)
  const words = motionWords({
    ...chosen,
    pitchMm: chosen.pitchMm ?? 0,
    playMm: chosen.playMm ?? Infinity,
    boundMm: chosen.boundMm ?? Infinity,
    twist: new Float64Array(6),
  })
  return (
    <div
      className={`absolute top-14 left-3.5 max-w-80 rounded-md border border-hair border-l-[3px] bg-card px-3 py-1.5 text-[13px] ${chosen.free ? 'border-l-madder' : 'border-l-ochre'}`}
      data-testid="slide-note"
    >
      <p>
        <b className="font-semibold">{chosen.movers.join(', ')}</b> can{' '}
        {chosen.free
          ? words
          : `${chosen.kind === 'translation' ? 'slide' : chosen.kind === 'rotation' ? 'turn' : 'screw'} a little`}
      </p>
      <p className="figure text-[12px] text-graphite">
        {chosen.free
          ? `nothing holds it${chosen.boundMm === null ? '' : `, up to ${mm(chosen.boundMm, 0)}`}`
          : `play ${mm(chosen.playMm ?? 0, 3)}; shown larger than it is`}
      </p>
      {slides.length > 1 && (
        <label className="mt-1 flex items-center gap-2 text-[12.5px]">
          Motion
          <Choice
            value={at}
            options={slides.map(
              (s, i) =>
                [
                  i,
                  `${i + 1}: ${s.kind === 'translation' ? 'shift' : s.kind === 'rotation' ? 'turn' : 'screw'}, ` +
                    `${s.free ? 'free' : mm(s.playMm ?? 0, 3)}`,
                ] as const,
            )}
            onChange={(v) => set({ slide: v })}
          />
        </label>
      )}
    </div>
  )
}
