export type ReadFormat = 'ply' | 'stl' | 'obj' | 'off' | 'xyz' | 'pcd' | 'glb' | 'gltf' | '3mf'
export const WRITE_FORMATS = ['stl', 'ply', 'obj', 'xyz', 'glb'] as const
export type WriteFormat = (typeof WRITE_FORMATS)[number]

/** Which reader a file's ending asks for. */
export const EXTENSIONS: Readonly<Record<string, ReadFormat | undefined>> = {
  ply: 'ply',
  stl: 'stl',
  obj: 'obj',
  xyz: 'xyz',
  txt: 'xyz',
  csv: 'xyz',
  asc: 'xyz',
  pts: 'xyz',
  off: 'off',
  pcd: 'pcd',
  glb: 'glb',
  gltf: 'gltf',
  '3mf': '3mf',
}

/** Endings the file dialog offers. */
export const READ_EXTENSIONS = Object.keys(EXTENSIONS)

/** Names under which a list of frame poses is recognised. */
export const POSE_LIST = /^(poses|frames)\.txt$/i
