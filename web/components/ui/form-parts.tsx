'use client'
import { useController, type Control, type FieldPath, type FieldValues } from 'react-hook-form'
import type { ReactNode } from 'react'
import { Choice, type Options } from './choice'
import { Tick } from './tick'

/* Parts that hold a field of a form. */

interface Bound<F extends FieldValues> {
  readonly control: Control<F>
  readonly name: FieldPath<F>
}

export function FormChoice<F extends FieldValues, T extends string>({
  control,
  name,
  ...rest
}: Bound<F> & { label?: string; options: Options<T>; className?: string }) {
  const { field } = useController({ control, name })
  return <Choice value={field.value} onChange={(v) => field.onChange(v)} {...rest} />
}

export function FormTick<F extends FieldValues>({
  control,
  name,
  ...rest
}: Bound<F> & { className?: string; children: ReactNode }) {
  const { field } = useController({ control, name })
  return <Tick checked={field.value === true} onChange={field.onChange} {...rest} />
}

/** One of several that may all be ticked: the field is the list of those that are. */
export function FormTickOf<F extends FieldValues>({
  control,
  name,
  value,
  children,
}: Bound<F> & { value: string; children: ReactNode }) {
  const { field } = useController({ control, name })
  const ticked = field.value as readonly string[]
  return (
    <Tick
      checked={ticked.includes(value)}
      onChange={(on) => field.onChange(on ? [...ticked, value] : ticked.filter((v) => v !== value))}
    >
      {children}
    </Tick>
  )
}
