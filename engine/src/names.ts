/*
 * Names are labels: what people call things, in any script. They are composed (so that é is one letter however it was typed), without
 * control signs, cut between letters and never inside one.
 */

/** Words that programs take for something else. */
const RESERVED = new Set(['__proto__'])

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

/** The first so many letters as a reader counts them, in no more than four times as many units. */
function shortened(text: string, longest: number): string {
  if (text.length <= longest) return text
  let out = ''
  let n = 0
  for (const { segment } of letters.segment(text)) {
    if (n++ === longest || out.length + segment.length > longest * 4) break
    out += segment
  }
  return out.trim()
}
