import type { Base } from '@holosoma/engine'
import type { Brief } from '@holosoma/core/brief'
import type { Plan } from '@holosoma/core/plan'
import { api, type Outlook } from './api'

export interface Documents {
  brief: Brief
  plan: Plan
}
export type Kind = keyof Documents
/** A document as the house holds it. */
export type Stored<K extends Kind> = Base & { readonly content: Documents[K] }

/** How far what stands on the page is saved. */
export type Saving = 'saved' | 'saving' | 'unsaved'
/** What a saver tells its page. */
export type Told<K extends Kind> =
  | { readonly saving: Saving }
  | { readonly conflict: boolean }
  | { readonly error: string }
  /** What is to stand on the page now: another page, undo or redo wrote it; null: nothing is written any more. */
  | { readonly replaced: Documents[K] | null }

/** Typing rests this long before what was typed is saved. */
const REST_MS = 700
const CONFLICT = 409

/**
 * Saves one document of one piece, a version after the other: each saving says which version it was written on, and
 * what someone else wrote meanwhile is never written over in silence. While one is under way the next waits. It also
 * hears which version the house holds, which may come late and out of step with the answers to its own savings: only
 * what none of them wrote takes the place of what stands on the page.
 */
export class DocumentSaver<K extends Kind> {
  /** Still to be saved; null: nothing. */
  value: Documents[K] | null = null
  /** The version that what stands on the page was written on. */
  base: Base | null
  /** Edits of their own before that one, still to be saved one by one. */
  private earlier: Documents[K][] = []
  private timer: ReturnType<typeof setTimeout> | null = null
  private running: Promise<boolean> | null = null
  /** What was worked out about one text; of any other it says nothing. */
  private outlook: { readonly of: string; readonly is: Outlook } | null = null
  /** The version of the house that was heard last. */
  private heard: string
  /** A version heard while something was still to be saved. */
  private held: { readonly stored: Stored<K> | null } | null = null
  /** Versions of its own that the house has answered with and was not yet heard to hold, oldest first. */
  private own: string[] = []

  /**
   * @param base the version that stands on this page
   * @param tell what happens: saving begins and ends, someone else was first, something went wrong, another text
   */
  constructor(
    private readonly pieceId: number,
    private readonly kind: K,
    base: Base | null,
    private readonly tell: (told: Told<K>) => void,
  ) {
    this.heard = keyOf(base)
    this.base = bareBase(base)
  }

  /** Saves after a rest; what was put in or taken out is an edit of its own, however soon the next one follows. */
  schedule(value: Documents[K]): void {
    if (this.value && isAnotherEdit(this.value, value)) this.earlier.push(this.value)
    this.value = value
    this.tell({ saving: 'saving' })
    if (this.timer) clearTimeout(this.timer)
    this.timer = setTimeout(() => void this.save(), REST_MS)
  }

  /** What was worked out about a text, told with it when it is saved. @returns whether that is news */
  foresee(value: Documents[K], outlook: Outlook): boolean {
    const next = { of: JSON.stringify(value), is: outlook }
    if (JSON.stringify(next) === JSON.stringify(this.outlook)) return false
    this.outlook = next
    return true
  }

  /** Saves what is still to be saved, now. @param over whether to write over what someone else wrote */
  async save(over = false): Promise<void> {
    if (this.timer) clearTimeout(this.timer)
    this.timer = null
    for (let more = true; more;) {
      while (this.running) await this.running
      // What stands on the page counts as unsaved until it is itself on its way.
      const value = this.earlier.shift() ?? this.value
      if (!value) break
      more = value !== this.value
      if (!more) this.value = null
      this.running = this.send(value, over).finally(() => (this.running = null))
      if (!(await this.running)) break
    }
    if (this.held) this.hear(this.held.stored)
  }

  /** The house holds this version. */
  hear(stored: Stored<K> | null): void {
    this.held = null
    const key = keyOf(stored)
    if (key === this.heard) return
    // Which of the two came first can only be told once the answer is there.
    if (this.value || this.running) {
      this.held = { stored }
      return
    }
    this.heard = key
    const at = this.own.indexOf(key)
    this.own = at < 0 ? [] : this.own.slice(at + 1)
    if (at >= 0) return
    this.base = bareBase(stored)
    this.tell({ replaced: stored?.content ?? null })
  }

  /** What stands on this page is given up for what someone else wrote. */
  giveUp(theirs: Stored<K> | null): void {
    if (this.timer) clearTimeout(this.timer)
    this.timer = null
    this.value = null
    this.earlier = []
    this.own = []
    this.held = null
    this.heard = keyOf(theirs)
    this.base = bareBase(theirs)
    this.tell({ replaced: theirs?.content ?? null })
    this.tell({ conflict: false })
    this.tell({ saving: 'saved' })
  }

  /** @returns false where it could not be saved: nothing more is to be sent */
  private async send(value: Documents[K], over: boolean): Promise<boolean> {
    this.tell({ saving: 'saving' })
    const outlook = this.outlook?.of === JSON.stringify(value) ? this.outlook.is : null
    try {
      this.base = await api.saveDocument(this.pieceId, this.kind, value, outlook, over ? undefined : this.base)
      this.own.push(keyOf(this.base))
      this.tell({ conflict: false })
      this.tell({ saving: this.value ? 'saving' : 'saved' })
      return true
    } catch (error) {
      const late = (error as { status?: number }).status === CONFLICT
      // Not lost: it stands on the page, unsaved, until it can be saved or its writer has said which of two counts.
      if (late) this.earlier = []
      else if (this.value) this.earlier.unshift(value)
      this.value ??= value
      this.tell(late ? { conflict: true } : { error: (error as Error).message })
      this.tell({ saving: 'unsaved' })
      return false
    }
  }
}

/** The version alone: of a stored document, without the document. */
const bareBase = (of: Base | null): Base | null => of && { stepId: of.stepId, revision: of.revision }
const keyOf = (base: Base | null): string => (base ? `${base.stepId}.${base.revision}` : '')

/** Whether something was put into a list between two versions, or taken out of one. */
function isAnotherEdit(before: object, after: object): boolean {
  const next = after as Record<string, unknown>
  return Object.entries(before).some(
    ([k, v]) => Array.isArray(v) && Array.isArray(next[k]) && v.length !== (next[k] as unknown[]).length,
  )
}
