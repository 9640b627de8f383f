import { expect, test } from 'vitest'
import { folderOf } from './use-file-drop'

test.each([
  ['./scan.ply', ''],
  ['scan.ply', ''],
  ['/upright/scan_000.ply', 'upright'],
  ['./session/upright/scan_000.ply', 'upright'],
  [undefined, ''],
])('a file at %s lay in the folder “%s”', (path, folder) => {
  const file = new File([], 'scan.ply')
  expect(folderOf(path === undefined ? file : Object.assign(file, { path }))).toBe(folder)
})
