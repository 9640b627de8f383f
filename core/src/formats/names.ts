/** In code points. */
export const LONGEST_FILE_NAME = 200

/**
 * Last part of a path of either slant, composed, without what could lead elsewhere; whole letters only, and its ending
 * kept.
 */
export function nameOf(path: string): string {
  const letters = [
    ...path
      .split(/[\\/]/)
      .at(-1)!
      .normalize('NFC')
      .replace(/[^\p{L}\p{M}\p{N}\p{Extended_Pictographic} ._()-]/gu, '_'),
  ]
  if (letters.length <= LONGEST_FILE_NAME) return letters.join('')
  const ending = /\.[A-Za-z0-9]{1,8}$/.exec(letters.join(''))?.[0] ?? ''
  return letters.slice(0, LONGEST_FILE_NAME - ending.length).join('') + ending
}
