import { unzipSync, type UnzipFileInfo } from 'fflate'
import { GeometryError, isGeometryError } from '../errors'

/** Archives larger than this when unpacked, or packed tighter than this, are taken for bombs. */
const MOST_BYTES = 2 * 2 ** 30
const MOST_RATIO = 250
const MOST_ENTRIES = 2000

export interface ZipEntry {
  /** Path as the archive has it; never used as a path. */
  readonly path: string
  /** Last part of the path. */
  readonly name: string
  readonly bytes: number
}

function guard(file: UnzipFileInfo, total: { bytes: number; entries: number }): void {
  total.bytes += file.originalSize
  total.entries++
  if (total.entries > MOST_ENTRIES) throw new GeometryError('RANGE', `The archive holds more than ${MOST_ENTRIES} files; unpack it and choose what you need.`)
  if (total.bytes > MOST_BYTES || file.originalSize > MOST_RATIO * Math.max(file.size, 64)) throw new GeometryError('RANGE', `“${nameOf(file.name)}” would unpack to ${Math.round(file.originalSize / 2 ** 20)} MB from next to nothing; such archives are not opened.`)
}

/** Last part of a path of either slant, without what could lead elsewhere. */
export const nameOf = (path: string): string => path.split(/[\\/]/).at(-1)!.replace(/[^\p{L}\p{N} ._()-]/gu, '_').slice(0, 200)

/** What an archive holds, folders and hidden files left out. @throws FORMAT, RANGE */
export function listZip(bytes: Uint8Array): ZipEntry[] {
  const out: ZipEntry[] = []
  const total = { bytes: 0, entries: 0 }
  open(bytes, (file) => {
    guard(file, total)
    const name = nameOf(file.name)
    if (!file.name.endsWith('/') && name !== '' && !name.startsWith('.') && !file.name.startsWith('__MACOSX')) out.push({ path: file.name, name, bytes: file.originalSize })
    return false
  })
  return out
}

/** One file of an archive by its path. @throws FORMAT when it is not there or broken */
export function readZipEntry(bytes: Uint8Array, path: string): Uint8Array {
  const total = { bytes: 0, entries: 0 }
  const found = open(bytes, (file) => {
    guard(file, total)
    return file.name === path
  })[path]
  if (!found) throw new GeometryError('FORMAT', `“${nameOf(path)}” is not in the archive.`)
  return found
}

function open(bytes: Uint8Array, filter: (file: UnzipFileInfo) => boolean): Record<string, Uint8Array> {
  try {
    return unzipSync(bytes, { filter })
  } catch (error) {
    if (isGeometryError(error)) throw error
    throw new GeometryError('FORMAT', 'The archive is broken or not a ZIP file.')
  }
}
