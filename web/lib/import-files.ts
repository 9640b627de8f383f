import type { ImportPreset } from '@holosoma/core/measure'
import { POSE_LIST, READ_EXTENSIONS } from '@holosoma/core/formats'
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

/**
 * Sends files in: each becomes a take as it lands; a folder with a list of poses becomes one take. What is of no use in
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
    for (const { file } of list) {
      if (isPhoto(file.name))
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
