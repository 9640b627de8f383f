'use client'
import { Dialog } from 'radix-ui'
import { useForm, type DefaultValues, type Path } from 'react-hook-form'
import { Primary } from './buttons'

export interface TextField<Name extends string> {
  readonly name: Name
  readonly label: string
  /** In letters. */
  readonly most: number
  readonly required?: true
}

/** A few lines of text that are written down together; what is refused is said where it was typed. */
export function TextDialog<Name extends string>({
  title,
  verb,
  fields,
  given,
  onWrite,
  onDone,
}: {
  title: string
  /** The word on the button. */
  verb: string
  fields: readonly TextField<Name>[]
  given: Readonly<Record<Name, string>>
  onWrite: (texts: Record<Name, string>) => Promise<unknown>
  onDone: () => void
}) {
  type Texts = Record<Name, string>
  const { register, handleSubmit, setError, formState } = useForm<Texts>({
    defaultValues: Object.fromEntries(fields.map(({ name }) => [name, given[name]])) as DefaultValues<Texts>,
  })
  const write = handleSubmit(async (texts) => {
    try {
      await onWrite(texts)
      onDone()
    } catch (error) {
      setError('root', { message: (error as Error).message })
    }
  })
  const refused =
    formState.errors.root?.message ??
    fields
      .map(({ name }) => (formState.errors as Record<string, { message?: string } | undefined>)[name]?.message)
      .find(Boolean)
  return (
    <Dialog.Root open onOpenChange={(open) => !open && onDone()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          className="fixed top-1/3 left-1/2 z-50 w-[420px] -translate-x-1/2 rounded-xl border border-hair bg-card p-6 shadow-xl"
        >
          <Dialog.Title className="mb-3 font-caption text-[20px] font-semibold">{title}</Dialog.Title>
          <form className="grid gap-3" onSubmit={(e) => void write(e)}>
            {fields.map(({ name, label, most, required }, i) => (
              <label key={name} className="grid gap-1 text-[13px]">
                {label}
                <input
                  {...register(name as unknown as Path<Texts>, {
                    maxLength: { value: most, message: `${label}: at most ${most} letters.` },
                  })}
                  required={required}
                  autoFocus={i === 0}
                  className="h-9 rounded-md border border-hair bg-field px-2.5 text-[14px]"
                />
              </label>
            ))}
            {refused && (
              <p role="alert" className="text-[13px] text-madder">
                {refused}
              </p>
            )}
            <Primary type="submit" disabled={formState.isSubmitting}>
              {verb}
            </Primary>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
