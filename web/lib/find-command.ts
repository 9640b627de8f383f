/** How well each place where a word is found counts. */
const NAME_BEGINS = 1
const NAME_WORD = 0.9
const NAME_WITHIN = 0.6
const TERM_BEGINS = 0.8
const TERM_WITHIN = 0.4

/**
 * How well a command fits what was typed: every word must be found, in its name or in what else it is called.
 * @returns 0 for not at all, at most 1
 */
export function fit(name: string, typed: string, terms: readonly string[] = []): number {
  const plain = name.toLowerCase()
  const words = typed.toLowerCase().trim().split(/\s+/)
  return words.reduce((sum, word) => {
    const best = plain.startsWith(word)
      ? NAME_BEGINS
      : plain.split(/[\s’'-]+/).some((w) => w.startsWith(word))
        ? NAME_WORD
        : terms.some((t) => t.toLowerCase().startsWith(word))
          ? TERM_BEGINS
          : plain.includes(word)
            ? NAME_WITHIN
            : terms.some((t) => t.toLowerCase().includes(word))
              ? TERM_WITHIN
              : 0
    return best === 0 ? 0 : Math.min(sum, best)
  }, 1)
}
