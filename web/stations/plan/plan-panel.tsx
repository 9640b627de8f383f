'use client'
import type { Finding } from '@holosoma/core'
import { Findings } from '@/components/finding'
import { Plain, Primary } from '@/components/ui'
import { NEW_TAKE, type PlannedTake } from '@holosoma/core/plan'
import { ConflictNote } from '@/components/conflict-note'
import { saveNow } from '@/lib/documents'
import { percent } from '@/lib/format'
import { pigment } from '@/lib/pigments'
import { useBrief, usePlan, usePlanValue } from '@/lib/plan-desk'
import { attempt, useDesk } from '@/lib/store'
import { DeviceGroup } from './device-group'
import { DotsGroup } from './dots-group'
import { PairsGroup } from './pairs-group'
import { proposalWords } from './proposal-words'
import { HATCH } from '@/components/paint-key'
import { BudgetGroup, ExposureGroup, PhotosGroup } from './session-groups'
import { AreasGroup, StandInGroup } from './stand-in-group'
import { TakeEditor } from './take-editor'

/** Of the sheet: a take that is planned, and a place where one may come. */
const CELL = 'h-[100px] w-[196px] shrink-0 rounded-lg border border-hair bg-card px-3 text-left'
const PLACE =
  'h-[100px] shrink-0 rounded-lg border border-dashed border-[#b9b09b] text-graphite ' +
  'hover:border-graphite hover:text-ink'

/**
 * No take helps any more: enough, or what else would. Takes that look alike or slide however often they are made want a
 * mark.
 */
function NoFurtherTake({ findings }: { findings: readonly Finding[] }) {
  const { plan, change } = usePlan()
  const brief = useBrief()
  const open = findings.find((f) => f.id === 'plan.join' && f.verdict !== 'sound')
  if (!plan || !open) return <p className="text-[13px] text-graphite">No further take is worth its time.</p>
  const mayDots = brief.permissions.dots.allowed === true
  const dotted = plan.dots.where === 'piece'
  return (
    <div className="grid gap-2" data-testid="other-moves">
      <p className="text-[13px] text-graphite">
        No further take settles this: it lies in the form of the piece.{' '}
        {dotted
          ? 'The dots on it will: match by dots at Join.'
          : mayDots
            ? 'Dots stuck on it would.'
            : 'Dots on it would, and are ' +
              `${brief.permissions.dots.allowed === false ? 'not allowed' : 'not agreed yet'}: print or ` +
              'stains may do the same (let colours count at Join), or three picked spots.'}
      </p>
      {!dotted && mayDots && (
        <Primary onClick={() => change({ ...plan, dots: { ...plan.dots, where: 'piece' } })}>
          Put dots on the piece
        </Primary>
      )}
    </div>
  )
}

/** Will these takes be enough? Finding, shares, the next take as one button, then the hand tools. */
export function PlanPanel() {
  const plan = usePlanValue()
  const { findings, evaluation, details, working, take, change, set } = usePlan()
  const pieceId = useDesk((d) => d.state.piece.id)
  const go = useDesk((d) => d.set)
  if (!plan) return <p className="font-caption text-[16px]">Laying out a plan…</p>
  const seen = evaluation?.report.seen
  const proposal = details?.proposal
  const add = (t: PlannedTake): void => {
    change({ ...plan, takes: [...plan.takes, t] })
    set({ take: plan.takes.length })
  }
  const idle = details?.idle[0]
  // The sheet is made of what is saved; the window opens at once, so that the browser lets it.
  const openSheet = (): Promise<void> =>
    attempt(async () => {
      const sheet = window.open('', '_blank')
      try {
        await saveNow(pieceId, 'plan', plan)
      } catch (error) {
        sheet?.close()
        throw error
      }
      if (sheet) sheet.location.href = `/pieces/${pieceId}/run-sheet`
    })
  // Who goes on takes the plan as it stands, also one that nobody changed: its takes have their places at Take.
  const goOn = (): Promise<void> =>
    attempt(async () => {
      await saveNow(pieceId, 'plan', plan)
      go({ station: 'take' })
    })
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">Will these takes be enough?</h2>
      <ConflictNote kind="plan" />
      {findings.length > 0 ? (
        <Findings findings={findings} />
      ) : (
        <p className="font-caption text-[16px] text-graphite">Looking…</p>
      )}
      {seen && (
        <dl
          className="mb-3 grid grid-cols-[98px_1fr_58px] items-center gap-x-2 gap-y-1.5 text-[13px]"
          data-testid="shares"
        >
          {(
            [
              ['Seen well', seen.shares.well, HATCH.well],
              ['Seen thinly', seen.shares.thinly, HATCH.thinly],
              ['Could be seen', seen.shares.open, HATCH.open],
              ['Out of reach', seen.shares.outOfReach, HATCH.reach],
            ] as const
          ).map(([label, share, style]) => (
            <div key={label} className="contents">
              <dt>{label}</dt>
              <dd className="h-3 overflow-hidden rounded bg-ground" aria-hidden="true">
                <i className="block h-full" style={{ ...style, width: `${share * 100}%` }} />
              </dd>
              <dd className="figure text-right">{percent(share)}</dd>
            </div>
          ))}
        </dl>
      )}
      <p role="status" data-testid="working" className="min-h-5 text-[13px] text-graphite">
        {working
          ? `${working.note}, ${Math.round(working.fraction * 100)} %`
          : details
            ? ''
            : evaluation
              ? 'The next take is looked for when your hands rest.'
              : ''}
      </p>
      <div className="grid gap-2">
        {proposal ? (
          <>
            <Primary onClick={() => add(proposal.take)}>
              Add {proposal.freeBefore > proposal.freeAfter ? 'keystone take' : 'take'}: {proposal.take.name}
            </Primary>
            <p className="text-[13px] text-graphite" data-testid="proposal">
              {proposalWords(proposal)}
            </p>
          </>
        ) : (
          details && <NoFurtherTake findings={findings} />
        )}
        {idle !== undefined && plan.takes[idle] && (
          <Plain className="py-2" onClick={() => change({ ...plan, takes: plan.takes.filter((_, i) => i !== idle) })}>
            Leave “{plan.takes[idle].name}” out: it adds nothing
          </Plain>
        )}
        {proposal ? (
          <Plain className="py-2" onClick={openSheet}>
            Open the run sheet
          </Plain>
        ) : (
          <Primary disabled={plan.takes.length === 0} onClick={openSheet}>
            Open the run sheet
          </Primary>
        )}
        <Plain className="py-2" disabled={plan.takes.length === 0} onClick={goOn}>
          Go on to Take
        </Plain>
      </div>
      <div className="mt-3">
        {plan.takes[take] && <TakeEditor key={take} index={take} />}
        <DeviceGroup />
        <StandInGroup />
        <AreasGroup />
        <PairsGroup />
        <ExposureGroup />
        <DotsGroup />
        <PhotosGroup />
        <BudgetGroup />
      </div>
    </>
  )
}

/** The planned takes under the stage. */
export function PlanSheet() {
  const plan = usePlanValue()
  const { evaluation, details, take, change, set } = usePlan()
  if (!plan) return <footer className="h-[118px] border-t border-hair bg-ground" aria-label="Contact sheet" />
  const fresh = (): void => {
    const last = plan.takes.at(-1)
    const name = [...Array(60).keys()].map((i) => `take ${i + 1}`).find((n) => !plan.takes.some((t) => t.name === n))!
    change({
      ...plan,
      takes: [
        ...plan.takes,
        { ...(last ?? { ...NEW_TAKE, distanceMm: plan.device.standOffMm }), name, restartDeg: null },
      ],
    })
    set({ take: plan.takes.length })
  }
  return (
    <footer
      className="flex h-[118px] items-center gap-2.5 overflow-x-auto border-t border-hair bg-ground px-4"
      aria-label="Contact sheet"
    >
      {plan.takes.map((t, i) => (
        <PlanCell
          key={t.name}
          index={i}
          on={i === take}
          onSelect={() => set({ take: i })}
          seen={evaluation?.report.seen.perTake[i]}
          shares={evaluation?.report.join.pairs
            .filter((p) => (p.a === i || p.b === i) && p.overlap > 0)
            .reduce<number | undefined>((m, p) => Math.max(m ?? 0, p.overlap), undefined)}
        />
      ))}
      {details?.proposal && (
        <button
          type="button"
          onClick={() => {
            change({ ...plan, takes: [...plan.takes, details.proposal!.take] })
            set({ take: plan.takes.length })
          }}
          className={`${PLACE} w-[196px] px-3 text-left`}
        >
          <b className="block truncate font-semibold">
            {plan.takes.length + 1} {details.proposal.take.name}
          </b>
          <span className="block text-[12.5px]">proposed: add it</span>
        </button>
      )}
      <button type="button" onClick={fresh} className={`${PLACE} px-5`}>
        Add a take
      </button>
    </footer>
  )
}

function PlanCell({
  index,
  on,
  seen,
  shares,
  onSelect,
}: {
  index: number
  on: boolean
  seen: number | undefined
  shares: number | undefined
  onSelect: () => void
}) {
  const plan = usePlanValue()!
  const t = plan.takes[index]
  const { colour } = pigment(index + 1)
  return (
    <button
      type="button"
      data-testid="planned"
      aria-pressed={on}
      aria-label={`Planned take ${index + 1}, ${t.name}`}
      onClick={onSelect}
      className={`${CELL} ${on ? 'shadow-[0_0_0_2px_var(--color-woad)]' : ''}`}
    >
      <b className="flex items-center gap-1.5 font-semibold">
        <i className="inline-block h-2.5 w-2.5 shrink-0 rounded-sm" style={{ background: colour }} />
        <span className="truncate">
          {index + 1} {t.name}
        </span>
      </b>
      <span className="figure block text-[12px] text-graphite">
        {Math.round(t.elevationDeg)}°, {Math.round(t.distanceMm)} mm,{' '}
        {t.kind === 'handheld'
          ? `${t.strokes} strokes`
          : t.secondsPerTurn === null
            ? `${t.steps} shots`
            : `${t.secondsPerTurn} s turn`}
      </span>
      <span className="block text-[12.5px] text-graphite">
        {seen === undefined ? '' : `${percent(seen)} of the piece`}
      </span>
      <span className="block text-[12.5px] text-graphite">
        {plan.takes.length > 1 && shares !== undefined ? `shares up to ${percent(Math.min(1, shares), 0)}` : ''}
      </span>
    </button>
  )
}
