'use client'
import { AlertDialog } from 'radix-ui'
import { create } from 'zustand'
import { Plain } from './buttons'

interface Question {
  readonly title: string
  /** What goes, and whether it can be had back. */
  readonly text: string
  /** The word on the button that does it. */
  readonly yes: string
  readonly no: string
}

const useQuestion = create<{ asked: (Question & { answer: (yes: boolean) => void }) | null }>(() => ({ asked: null }))

/** Asks before what cannot be undone; another question that is still open counts as answered with no. */
export function confirmed(question: Question): Promise<boolean> {
  useQuestion.getState().asked?.answer(false)
  return new Promise((resolve) =>
    useQuestion.setState({
      asked: {
        ...question,
        answer: (yes) => {
          useQuestion.setState({ asked: null })
          resolve(yes)
        },
      },
    }),
  )
}

/** Where questions are asked; once a page. */
export function Questions() {
  const asked = useQuestion((q) => q.asked)
  return (
    <AlertDialog.Root open={asked !== null} onOpenChange={(open) => !open && asked?.answer(false)}>
      <AlertDialog.Portal>
        <AlertDialog.Overlay className="fixed inset-0 z-50 bg-ink/25" />
        <AlertDialog.Content className="fixed top-1/3 left-1/2 z-50 w-[420px] -translate-x-1/2 rounded-xl border border-hair bg-card p-6 shadow-xl">
          <AlertDialog.Title className="font-caption text-[20px] leading-snug font-semibold">
            {asked?.title}
          </AlertDialog.Title>
          <AlertDialog.Description className="mt-2 text-[14px]">{asked?.text}</AlertDialog.Description>
          <div className="mt-4 flex justify-end gap-2">
            <AlertDialog.Cancel asChild>
              <Plain className="px-4">{asked?.no}</Plain>
            </AlertDialog.Cancel>
            <Plain
              className="border-madder px-4 font-semibold text-madder hover:border-madder hover:bg-blush"
              onClick={() => asked?.answer(true)}
            >
              {asked?.yes}
            </Plain>
          </div>
        </AlertDialog.Content>
      </AlertDialog.Portal>
    </AlertDialog.Root>
  )
}
