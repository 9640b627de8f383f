import { LONGEST_FILE_NAME } from '@holosoma/core/formats'

/*
 * Names are labels: what people call things, in any script. They are composed (so that é is one letter however it was
 * typed), without control signs, cut between letters and never inside one.
 */

/** In letters as a reader counts them. */
export const LONGEST = {
  pieceName: 120,
  pieceNumber: 40,
  takeName: 100,
  pose: 80,
  selectionName: 80,
  resultName: 80,
  purpose: 80,
  resultNote: 400,
  fileName: LONGEST_FILE_NAME,
  jobTitle: 160,
  note: 120,
} as const

/** Accents and joined signs make one letter of several UTF-16 units; more than this on one is no writing. */
export const MAX_UNITS_PER_LETTER = 4

/** Words that programs take for something else. */
const RESERVED = new Set(['__proto__'])

/** A name without what cannot be shown, and no longer than told. */
export function cleanName(text: string, longest: number): string {
  const plain = text
    .normalize('NFC')
    .replace(/[\p{Cc}\p{Cs}\p{Zl}\p{Zp}]+/gu, ' ')
    .replace(/\s+/g, ' ')
    .trim()
  const cut = shortened(plain, longest)
  return RESERVED.has(cut) ? `“${cut}”` : cut
}

const letters = new Intl.Segmenter('en', { granularity: 'grapheme' })

/** Letters of a text as a reader counts them; of one that is far too long, its units. */
export const lettersOf = (text: string): number =>
  text.length > 4000 ? text.length : [...letters.segment(text.normalize('NFC'))].length

/** The first so many letters as a reader counts them. */
function shortened(text: string, longest: number): string {
  if (text.length <= longest) return text
  let out = ''
  let n = 0
  for (const { segment } of letters.segment(text)) {
    if (n++ === longest || out.length + segment.length > longest * MAX_UNITS_PER_LETTER) break
    out += segment
  }
  return out.trim()
}
