'use client'
import { useController, useFormContext, useWatch } from 'react-hook-form'
import { CHOICE_OPTIONS, schoolsOf, TAKEN_UP, type Brief, type School } from '@holosoma/core/brief'
import { Choice } from '@/components/ui'
import { Block } from './form-fields'

/** Questions on which the trade is of two minds: what follows from the brief holds until a person chooses. */
export function Schools() {
  const { control } = useFormContext<Brief>()
  const brief = useWatch({ control }) as Brief
  return (
    <Block title="Where the trade is of two minds">
      <p className="mb-2 text-[13px] text-graphite">
        What the brief says for itself stands first. Choose otherwise where you know better. A later station begins with
        those that are marked; the others are written down for whoever works.
      </p>
      <div className="grid grid-cols-2 gap-x-6 gap-y-2 lg:grid-cols-3">
        {schoolsOf(brief).map((s) => (
          <Question key={s.name} school={s} />
        ))}
      </div>
    </Block>
  )
}

function Question({ school: { name, question, usual, why, choice } }: { school: School }) {
  const { control } = useFormContext<Brief>()
  const { field } = useController({ control, name: `choices.${name}` })
  const words = CHOICE_OPTIONS[name] as Readonly<Record<string, string>>
  const rest = Object.keys(words).filter((o) => o !== usual)
  return (
    <div className="grid gap-0.5 text-[13px]">
      <span className="text-graphite">
        {question}
        {TAKEN_UP.has(name) && <span className="ml-1 text-verdigris">· taken up</span>}
      </span>
      <Choice
        label={question}
        value={choice}
        options={[usual, ...rest].map((o) => [o, words[o]] as const)}
        // The usual is not written down: it follows the brief wherever that goes.
        onChange={(o) => field.onChange(o === usual ? '' : o)}
        className="w-full"
      />
      <span className="text-[12px] text-graphite">
        {choice === usual ? why : `chosen; the brief alone would say: ${words[usual]}`}
      </span>
    </div>
  )
}
