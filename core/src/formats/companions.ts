import { mapLine } from './materials'
import { decodedName } from './gltf-names'
import { nameOf } from './names'

/** Endings of files that others name: lists of materials, points, pictures. */
export const COMPANION_ENDINGS = ['mtl', 'bin', 'png', 'jpg', 'jpeg'] as const

/** Of a text that names other files, as much as is looked at. */
export const LOOKED_AT_BYTES = 256 * 1024

const endingOf = (name: string): string => name.toLowerCase().split('.').at(-1) ?? ''

/** Whether a file may name others that belong to it. */
export const namesOthers = (fileName: string): boolean => ['obj', 'gltf', 'mtl'].includes(endingOf(fileName))

/**
 * Names of the files that one names, without folders, in small letters.
 * @param text what it holds, or its beginning
 */
export function companionNames(fileName: string, text: string): string[] {
  const of = (names: readonly string[]): string[] => [...new Set(names.map((n) => nameOf(n).toLowerCase()))]
  switch (endingOf(fileName)) {
    case 'obj':
      return of([...text.matchAll(/^[ \t]*mtllib[ \t]+(.+?)[ \t]*$/gm)].map((m) => m[1]))
    case 'mtl':
      return of(text.split(/\r\n|\r|\n/).flatMap((line) => mapLine(line)?.file ?? []))
    case 'gltf':
      return of([...text.matchAll(/"uri"\s*:\s*"((?!data:)[^"]{1,400})"/g)].map((m) => decodedName(m[1])))
    default:
      return []
  }
}

/**
 * Which files of those that came together belong to which: for each that names others, the ones among them that are
 * there, a list of materials with its pictures.
 * @param read the beginning of a file as text
 */
export async function companionsAmong(
  names: readonly string[],
  read: (name: string) => Promise<string>,
): Promise<Map<string, string[]>> {
  const byName = new Map(names.map((n) => [nameOf(n).toLowerCase(), n]))
  const out = new Map<string, string[]>()
  for (const name of names.filter((n) => ['obj', 'gltf'].includes(endingOf(n)))) {
    const found = new Set<string>()
    const add = async (from: string): Promise<void> => {
      for (const other of companionNames(from, await read(from))) {
        const there = byName.get(other)
        if (there === undefined || there === name || found.has(there)) continue
        found.add(there)
        if (endingOf(there) === 'mtl') await add(there)
      }
    }
    await add(name)
    if (found.size > 0) out.set(name, [...found])
  }
  return out
}
