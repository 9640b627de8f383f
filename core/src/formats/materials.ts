import { GeometryError } from '../errors'
import { assertFewPictures, foundPicture, NO_PICTURE, type Beside, type FoundPicture } from './beside'
import type { ShapeBuilder } from './builder'
import { nameOf } from './names'

/** Lists of materials that one file may name. */
export const MAX_LIBRARIES = 16
/** Of one list of materials. */
const MAX_LIBRARY_BYTES = 4 * 2 ** 20
/** Options of a map and how many numbers or words follow each (appendix B1 of the same manual, on materials). */
const OPTION_WORDS: Readonly<Record<string, number>> = {
  '-blendu': 1,
  '-blendv': 1,
  '-cc': 1,
  '-clamp': 1,
  '-mm': 2,
  '-o': 3,
  '-s': 3,
  '-t': 3,
  '-texres': 1,
  '-imfchan': 1,
  '-boost': 1,
  '-bm': 1,
}

/** The colour picture of each material, by the libraries that came with the file. */
export async function picturesOfMaterials(
  materials: readonly string[],
  libraries: ReadonlySet<string>,
  { find }: Beside,
  builder: ShapeBuilder,
): Promise<FoundPicture[]> {
  const files = new Map<string, string>()
  for (const library of libraries) {
    const bytes = find ? await find(nameOf(library)) : null
    if (!bytes) builder.leaveOut(`list of materials, which did not come with it (“${nameOf(library).slice(0, 60)}”)`)
    else if (bytes.length > MAX_LIBRARY_BYTES)
      throw new GeometryError('RANGE', `“${nameOf(library)}” is too long for a list of materials.`)
    else for (const [name, file] of mapsIn(new TextDecoder().decode(bytes), builder)) files.set(name, file)
  }
  assertFewPictures(new Set(files.values()).size)
  const found = new Map<string, FoundPicture>()
  for (const file of new Set(files.values()))
    found.set(file, foundPicture(file, find ? await find(nameOf(file)) : null))
  return materials.map((name) => {
    const file = files.get(name)
    return file === undefined ? NO_PICTURE : found.get(file)!
  })
}

/** Which picture each material of a list has its colour from. */
function mapsIn(text: string, builder: ShapeBuilder): Map<string, string> {
  const out = new Map<string, string>()
  let material: string | null = null
  for (const line of text.split(/\r\n|\r|\n/)) {
    if (/^\s*newmtl\s/.test(line)) material = line.trim().slice(7).trim()
    const map = mapLine(line)
    if (!map || material === null) continue
    if (map.shifted) builder.leaveOut('shifts of a picture on its faces')
    out.set(material, map.file)
  }
  return out
}

/** The file a line of a list of materials takes colours from; null for other lines. */
export function mapLine(line: string): { file: string; shifted: boolean } | null {
  const words = line.trim().split(/\s+/)
  if (words[0]?.toLowerCase() !== 'map_kd') return null
  let at = 1,
    shifted = false
  while (at < words.length && words[at] in OPTION_WORDS) {
    shifted ||= /^-[ost]$/.test(words[at])
    const most = OPTION_WORDS[words[at++]]
    // Three numbers may be two or one.
    for (let k = 0; k < most && at < words.length && (most === 1 || Number.isFinite(Number(words[at]))); k++) at++
  }
  // Names may have spaces in them.
  const file = words.slice(at).join(' ')
  return file === '' ? null : { file, shifted }
}
