'use client'
import { useDropzone } from 'react-dropzone'
import type { Dropped } from './import-files'

/** Files past this are a disk, not a session. */
const MAX_FILES = 5000

/**
 * A place to drop files and folders on, folders gone through; hidden files are passed over.
 * @returns what the place needs, and whether something hangs over it
 */
export function useFileDrop(onFiles: (files: Dropped[]) => void): {
  readonly place: ReturnType<ReturnType<typeof useDropzone>['getRootProps']>
  readonly over: boolean
} {
  const { getRootProps, isDragActive } = useDropzone({
    noClick: true,
    noKeyboard: true,
    onDrop: (files) => {
      const kept = files.filter((f) => !f.name.startsWith('.')).slice(0, MAX_FILES)
      if (kept.length > 0) onFiles(kept.map((file) => ({ file, folder: folderOf(file) })))
    },
  })
  return { place: getRootProps({ role: undefined, tabIndex: undefined }), over: isDragActive }
}

/** The folder a file lay in, when a folder was dropped; '' at the top. */
export const folderOf = (file: File): string => {
  const path = (file as File & { path?: string }).path ?? ''
  return (
    path
      .split('/')
      .filter((p) => p !== '' && p !== '.')
      .at(-2) ?? ''
  )
}
