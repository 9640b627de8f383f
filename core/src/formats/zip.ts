import { configure, Uint8ArrayReader, ZipReader, type FileEntry } from '@zip.js/zip.js'
import { GeometryError, isGeometryError } from '../errors'
import { nameOf } from './names'

/*
 * ZIP archives (PKWARE APPNOTE 6.3.10, ZIP64 among them). Each file's CRC-32 is checked against what the archive says
 * of it.
 */

/** Archives larger than this when unpacked, or packed tighter than this, are taken for bombs. */
const MAX_BYTES = 2 * 2 ** 30
const MAX_RATIO = 250
const MAX_ENTRIES = 2000

// The host decides what runs in threads.
configure({ useWebWorkers: false })

export interface ZipEntry {
  /** Path as the archive has it; never used as a path. */
  readonly path: string
  /** Last part of the path. */
  readonly name: string
  readonly bytes: number
}

/** What an archive holds, folders and hidden files left out. @throws FORMAT, RANGE */
export async function listZip(bytes: Uint8Array): Promise<ZipEntry[]> {
  const out: ZipEntry[] = []
  for (const { filename, uncompressedSize } of await entriesOf(bytes)) {
    const name = nameOf(filename)
    if (name !== '' && !name.startsWith('.') && !filename.startsWith('__MACOSX'))
      out.push({ path: filename, name, bytes: uncompressedSize })
  }
  return out
}

/** One file of an archive by its path. @throws FORMAT when it is not there, or broken, or its check sum is wrong */
export async function readZipEntry(bytes: Uint8Array, path: string): Promise<Uint8Array<ArrayBuffer>> {
  const entry = (await entriesOf(bytes)).find((e) => e.filename === path)
  if (!entry) throw new GeometryError('FORMAT', `“${nameOf(path)}” is not in the archive.`)
  if (entry.encrypted)
    throw new GeometryError(
      'FORMAT',
      `“${nameOf(path)}” is locked with a password; unpack the archive and drop what is in it.`,
    )
  const out = new Uint8Array(entry.uncompressedSize)
  let at = 0
  const sink = new WritableStream<Uint8Array>({
    write(part) {
      // What unpacks to more than it says is no honest archive.
      if (at + part.length > out.length)
        throw new GeometryError('RANGE', `“${nameOf(path)}” unpacks to more than its archive says.`)
      out.set(part, at)
      at += part.length
    },
  })
  try {
    await entry.getData(sink, { checkSignature: true })
  } catch (error) {
    if (isGeometryError(error)) throw error
    throw new GeometryError(
      'FORMAT',
      /signature|crc/i.test(String(error))
        ? `“${nameOf(path)}” is damaged: its check sum is not what the archive says. Pack it again, or ` +
            'drop the file by itself.'
        : `“${nameOf(path)}” in the archive is broken, or packed in a way that can’t be read.`,
    )
  }
  if (at !== out.length) throw new GeometryError('TRUNCATED', `“${nameOf(path)}” breaks off inside the archive.`)
  return out
}

async function entriesOf(bytes: Uint8Array): Promise<FileEntry[]> {
  // Names in an archive are never used as paths, so a hostile one does no harm.
  const reader = new ZipReader(new Uint8ArrayReader(bytes), { useWebWorkers: false, filenameValidation: 'tolerant' })
  const out: FileEntry[] = []
  let total = 0
  try {
    for await (const entry of reader.getEntriesGenerator()) {
      total += entry.uncompressedSize
      if (out.length >= MAX_ENTRIES)
        throw new GeometryError(
          'RANGE',
          `The archive holds more than ${MAX_ENTRIES} files; unpack it and choose what you need.`,
        )
      if (total > MAX_BYTES || entry.uncompressedSize > MAX_RATIO * Math.max(entry.compressedSize, 64)) {
        throw new GeometryError(
          'RANGE',
          `“${nameOf(entry.filename)}” would unpack to ${Math.round(entry.uncompressedSize / 2 ** 20)} ` +
            'MB from next to nothing; such archives are not opened.',
        )
      }
      if (!entry.directory) out.push(entry)
    }
  } catch (error) {
    if (isGeometryError(error)) throw error
    throw new GeometryError('FORMAT', 'The archive is broken or not a ZIP file.')
  } finally {
    await reader.close()
  }
  return out
}
