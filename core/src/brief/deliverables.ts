import type { Verdict } from '../findings'
import type { Brief } from './brief'

/* What a brief asks to be handed over, by its purposes, and whether a mesh is that. */

export interface Deliverable {
  readonly id: string
  readonly file: string
  readonly why: string
  /** The kind of file it leaves as. */
  readonly format: 'stl' | 'ply' | 'glb'
  readonly needs: readonly Need[]
}

type Need = 'closed' | 'size' | 'colour' | 'light' | 'marked'

/** Triangles a page shows without waiting, about (common practice). */
const LIGHT_FACES = 200_000

/** What a brief asks to be handed over, the most important first. */
export function deliverablesOf(brief: Brief): Deliverable[] {
  const out: Deliverable[] = []
  const wants = (p: Brief['purposes'][number]): boolean => brief.purposes.includes(p)
  const add = (id: string, file: string, why: string, format: Deliverable['format'], ...needs: readonly Need[]): void =>
    void out.push({ id, file, why, format, needs })
  if (wants('print') || wants('printScaled'))
    add(
      'print',
      'A closed STL at true size',
      wants('printScaled') ? 'for the printer; scaled copies are variants of it' : 'for the printer',
      'stl',
      'closed',
      'size',
    )
  if (wants('fit'))
    add('fit', 'A mesh with sharp edges, sections and fitted shapes', 'to build the part against', 'stl', 'size')
  if (wants('show')) add('show', 'A light GLB with colour', 'for a screen', 'glb', 'light', 'colour')
  if (wants('archive'))
    add(
      'archive',
      'The raw takes, a PLY with evidence, and the report',
      'measured kept apart from filled; unknown parts stay open and marked',
      'ply',
      'marked',
      'size',
    )
  if (wants('check'))
    add(
      'check',
      'A map of deviations and a table of distances',
      'against the design, with the tolerance on it',
      'ply',
      'size',
    )
  return out
}

/** What is known of the mesh that would leave; undefined where nobody has looked. */
export interface Leaving {
  readonly closed?: boolean
  readonly scaled?: boolean
  readonly coloured?: boolean
  readonly faces?: number
  /** Whether each part of the surface says how it came to be. */
  readonly marked?: boolean
}

const WORDS: Readonly<Record<Need, { met: string; unmet: string; unknown: string }>> = {
  closed: { met: 'closed', unmet: 'not closed', unknown: 'whether it is closed has not been checked' },
  size: {
    met: 'size checked',
    unmet: 'size not checked against a reading',
    unknown: 'size not checked against a reading',
  },
  colour: { met: 'in colour', unmet: 'without colour', unknown: 'whether it has colour is not known' },
  light: { met: 'light', unmet: 'too many triangles for a page', unknown: 'its triangles are not counted' },
  marked: { met: 'filled parts marked', unmet: 'filled parts not marked', unknown: 'filled parts not marked' },
}

/** Whether a mesh is what is to be handed over: what is not so first, in words. */
export function checkDeliverable(d: Deliverable, mesh: Leaving): { verdict: Verdict; found: string } {
  const state: Readonly<Record<Need, boolean | undefined>> = {
    closed: mesh.closed,
    size: mesh.scaled,
    colour: mesh.coloured,
    light: mesh.faces === undefined ? undefined : mesh.faces <= LIGHT_FACES,
    marked: mesh.marked,
  }
  const wrong = d.needs.filter((n) => state[n] !== true)
  const word = (n: Need): string => WORDS[n][state[n] === undefined ? 'unknown' : state[n] ? 'met' : 'unmet']
  return {
    verdict: wrong.length === 0 ? 'sound' : wrong.includes('closed') && state.closed === false ? 'unsound' : 'doubtful',
    found: (wrong.length > 0 ? wrong : d.needs).map(word).join(', '),
  }
}
