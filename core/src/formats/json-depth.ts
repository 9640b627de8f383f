/**
 * Whether a JSON text nests deeper than is allowed; strings are passed over. Asked before parsing, since what walks
 * through a deeply nested value by recursion runs out of stack.
 */
export function nestsDeeper(text: string, deepest: number): boolean {
  let depth = 0
  for (let i = 0; i < text.length; i++) {
    const c = text.charCodeAt(i)
    if (c === 0x22) {
      for (i++; i < text.length && text.charCodeAt(i) !== 0x22; i++) if (text.charCodeAt(i) === 0x5c) i++
    } else if (c === 0x5b || c === 0x7b) {
      if (++depth > deepest) return true
    } else if (c === 0x5d || c === 0x7d) depth--
  }
  return false
}
