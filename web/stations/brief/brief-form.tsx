'use client'
import { joiResolver } from '@hookform/resolvers/joi'
import { useEffect, useRef } from 'react'
import { FormProvider, useForm } from 'react-hook-form'
import {
  briefProblems,
  briefSchema,
  EMPTY_BRIEF,
  PURPOSES,
  PURPOSE_WORDS,
  TRAITS,
  TRAIT_WORDS,
  type Brief,
} from '@holosoma/core/brief'
import { useDocument } from '@/lib/documents'
import { useDesk } from '@/lib/store'
import { Block, Chips, Num, Tick } from './form-fields'
import { Areas, Callipers, Permissions, Zones } from './form-tables'
import { Schools } from './schools'

const firstProblem = (brief: Brief): string | null => briefProblems(brief)[0]?.message ?? null

/** What is known of the piece, on one page; saved as it is written. */
export function BriefForm() {
  const { value, change, problem } = useDocument('brief', () => EMPTY_BRIEF, firstProblem)
  const saving = useDesk((d) => d.saving)
  const stored = useDesk((d) => d.state.brief !== null)
  const form = useForm<Brief>({
    defaultValues: value,
    resolver: joiResolver(briefSchema, { convert: false, abortEarly: false }),
    mode: 'onChange',
  })
  // What the form itself wrote comes back as `value`; only what others wrote is laid into the form.
  const own = useRef(value)
  // Each of them: while one is on its way back, the hands have written on.
  const mine = useRef(new WeakSet<Brief>())
  useEffect(() => {
    const watch = form.watch((next) => {
      own.current = next as Brief
      const written = structuredClone(next) as Brief
      mine.current.add(written)
      change(written)
    })
    return () => watch.unsubscribe()
  }, [form, change])
  useEffect(() => {
    if (mine.current.has(value) || JSON.stringify(own.current) === JSON.stringify(value)) return
    own.current = value
    form.reset(value)
  }, [value, form])
  return (
    <FormProvider {...form}>
      <form
        aria-label="Brief"
        className="h-full overflow-y-auto bg-paper px-6 pt-4 pb-8"
        onSubmit={(e) => e.preventDefault()}
      >
        <p className="mb-3 flex items-baseline justify-between text-[13px] text-graphite">
          <span>Saved as you write. Nothing here is a must; what is known makes the plan better.</span>
          <span role="status" data-testid="saved" className={problem ? 'font-semibold text-madder' : ''}>
            {problem
              ? `Not saved: ${problem}.`
              : saving === 'saving'
                ? 'Saving…'
                : saving === 'unsaved'
                  ? 'Not saved'
                  : stored
                    ? 'Saved'
                    : 'Not written yet'}
          </span>
        </p>
        <div className="grid gap-3">
          <Block title="What is it for?">
            <Chips name="purposes" options={PURPOSES} words={PURPOSE_WORDS} />
          </Block>
          <Block title="Size and detail">
            <div className="grid grid-cols-3 gap-x-5 gap-y-2 lg:grid-cols-4">
              <Num name="lengthMm" label="Length" unit="mm" />
              <Num name="widthMm" label="Width" unit="mm" />
              <Num name="heightMm" label="Height" unit="mm" />
              <Num name="massG" label="Mass" unit="g" />
              <Num name="detailMm" label="Smallest detail to hold" unit="mm" />
              <Num name="toleranceMm" label="Tolerance" unit="mm" placeholder="auto" />
            </div>
          </Block>
          <Zones />
          <Block title="Shape">
            <Chips name="traits" options={TRAITS} words={TRAIT_WORDS} />
            <Tick name="original" label="An original: the owner’s word is needed for everything" />
            <Tick name="person" label="A person" />
          </Block>
          <Areas />
          <Permissions />
          <Callipers />
          <Block title="Surroundings">
            <div className="flex flex-wrap items-center gap-x-6 gap-y-2">
              <Num name="temperatureC" label="Temperature" unit="°C" />
              <Tick name="sun" label="Sun on the bench" />
              <Tick name="vibration" label="The bench shakes" />
            </div>
          </Block>
          <Schools />
          <Block title="Notes">
            <label className="sr-only" htmlFor="brief-notes">
              Notes
            </label>
            <textarea
              id="brief-notes"
              rows={2}
              className="w-full rounded-md border border-hair bg-field px-2.5 py-1.5"
              {...form.register('notes')}
            />
          </Block>
        </div>
      </form>
    </FormProvider>
  )
}
