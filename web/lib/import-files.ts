import type { ImportPreset } from '@holosoma/core/measure'
import { companionsAmong, LOOKED_AT_BYTES, POSE_LIST, READ_EXTENSIONS } from '@holosoma/core/formats'
import { api } from './api'

/** A dropped file with the folder it came from; '' at the top. */
export interface Dropped {
  readonly file: File
  readonly folder: string
}

/** Files of a folder that was chosen in the dialog. */
export const chosenFiles = (list: FileList): Dropped[] =>
  [...list].map((file) => ({ file, folder: file.webkitRelativePath.split('/').at(-2) ?? '' }))

/** Endings of photos. */
export const PHOTO_ENDINGS = ['jpg', 'jpeg', 'png']
const isPhoto = (name: string): boolean => PHOTO_ENDINGS.includes(name.toLowerCase().split('.').at(-1) ?? '')

/** Whether a reader exists for files of that name. */
export const readable = (name: string): boolean =>
  [...READ_EXTENSIONS, 'zip'].includes(name.toLowerCase().split('.').at(-1) ?? '')

/** Which files of a folder belong to which: lists of materials and pictures to the shape that names them. */
async function companionsIn(list: readonly Dropped[]): Promise<Map<File, File[]>> {
  const byName = new Map(list.map(({ file }) => [file.name, file]))
  if (byName.size < 2) return new Map()
  const found = await companionsAmong([...byName.keys()], (name) => byName.get(name)!.slice(0, LOOKED_AT_BYTES).text())
  return new Map([...found].map(([name, others]) => [byName.get(name)!, others.map((n) => byName.get(n)!)]))
}

async function importModel(
  pieceId: number,
  file: File,
  companions: readonly File[],
  preset: ImportPreset,
): Promise<void> {
  const stored: { name: string; upload: string }[] = []
  for (const c of companions) stored.push({ name: c.name, upload: (await api.storeFrame(pieceId, c)).upload })
  const { upload } = await api.storeFrame(pieceId, file)
  await api.importModel(pieceId, file.name, upload, stored, preset)
}

/**
 * Sends files in: each becomes a take as it lands; a folder with a list of poses becomes one take, and a file goes
 * in with those it names, its pictures among them. What is of no use in
 * a folder is passed over in silence, single files are refused by name. Photos go to the take that is chosen. Returns
 * the refusals.
 */
export async function importFiles(
  pieceId: number,
  files: readonly Dropped[],
  preset: ImportPreset,
  takeId: number | null,
  onProgress: (done: number, of: number) => void,
): Promise<string[]> {
  const refused: string[] = []
  const photos: { name: string; upload: string }[] = []
  const folders = new Map<string, Dropped[]>()
  for (const f of files) folders.set(f.folder, [...(folders.get(f.folder) ?? []), f])
  let done = 0
  const step = (): void => onProgress(++done, files.length)
  for (const [folder, list] of folders) {
    const poses = list.find((f) => POSE_LIST.test(f.file.name))
    if (poses) {
      const frames: { file: string; upload: string }[] = []
      try {
        for (const { file } of list) {
          if (file !== poses.file && readable(file.name))
            frames.push({ file: file.name, upload: (await api.storeFrame(pieceId, file)).upload })
          step()
        }
        await api.importFrames(pieceId, folder === '' ? 'frames' : folder, await poses.file.text(), frames)
      } catch (error) {
        refused.push((error as Error).message)
      }
      continue
    }
    const belongs = await companionsIn(list)
    const taken = new Set([...belongs.values()].flat())
    for (const { file } of list) {
      const companions = belongs.get(file)
      if (taken.has(file)) {
        // Goes in with the file that names it.
      } else if (companions)
        await importModel(pieceId, file, companions, preset).catch((e: Error) => refused.push(e.message))
      else if (isPhoto(file.name))
        await api.storeFrame(pieceId, file).then(
          (a) => photos.push({ name: file.name, upload: a.upload }),
          (e: Error) => refused.push(e.message),
        )
      else if (folder === '' || readable(file.name))
        await api.importFile(pieceId, file, preset).then(
          (a) => refused.push(...a.refused),
          (e: Error) => refused.push(e.message),
        )
      step()
    }
    if (folder !== '' && !list.some((f) => readable(f.file.name) || isPhoto(f.file.name)))
      refused.push(`There is no scan file and no photo in the folder “${folder}”.`)
  }
  if (photos.length > 0) await api.importPhotos(pieceId, photos, takeId).catch((e: Error) => refused.push(e.message))
  return refused
}
