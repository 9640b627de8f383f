'use client'
import { Dialog } from 'radix-ui'
import { useState, type FormEvent } from 'react'
import { Primary } from './ui'

const FIELDS = [
  ['name', 'Name', 120, true],
  ['number', 'Number in your collection, if it has one', 40, false],
] as const

/** What a piece is called, and under which number. */
export function PieceDialog({
  title,
  verb,
  given,
  onWrite,
  onDone,
}: {
  title: string
  /** The word on the button. */
  verb: string
  given: { readonly name: string; readonly number: string }
  onWrite: (name: string, number: string) => Promise<void>
  onDone: () => void
}) {
  const [error, setError] = useState<string | null>(null)
  const write = async (event: FormEvent<HTMLFormElement>): Promise<void> => {
    event.preventDefault()
    const form = new FormData(event.currentTarget)
    try {
      await onWrite(String(form.get('name')), String(form.get('number')))
      onDone()
    } catch (e) {
      setError((e as Error).message)
    }
  }
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
            {FIELDS.map(([field, label, most, required]) => (
              <label key={field} className="grid gap-1 text-[13px]">
                {label}
                <input
                  name={field}
                  defaultValue={given[field]}
                  required={required}
                  maxLength={most}
                  autoFocus={field === 'name'}
                  className="h-9 rounded-md border border-hair bg-white px-2.5 text-[14px]"
                />
              </label>
            ))}
            {error && (
              <p role="alert" className="text-[13px] text-madder">
                {error}
              </p>
            )}
            <Primary type="submit">{verb}</Primary>
          </form>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
