import { spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import sharp from 'sharp'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { polygonise, quietContext, writeShape, type TriangleMesh } from '@holosoma/core'
import { cameraOf, type CameraRecord } from '@holosoma/core/colour'
import { ALL_EFFECTS, DEMO_PIECES } from '@holosoma/core/bench'
import { photoSet, type SetPhoto } from '@holosoma/core/testing/photo-set'
import { apartPx, truePicks } from '@holosoma/core/testing/true-picks'

const bin = join(dirname(fileURLToPath(import.meta.url)), '..', 'bin', 'holosoma.mjs')
const folder = mkdtempSync(join(tmpdir(), 'holosoma-cameras-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const holosoma = (...args: string[]) => spawnSync(process.execPath, [bin, ...args], { encoding: 'utf8', cwd: folder })

const WIDTH = 400
let mesh: TriangleMesh
let set: SetPhoto[]
const picks = (over: Record<string, unknown> = {}): string => {
  const at = 2
  const pairs = truePicks(mesh, set[at].camera, 5, 1, 3)
  writeFileSync(
    join(folder, 'picks.json'),
    JSON.stringify({ file: set[at].name, pairs, turn: { stepDeg: 40 }, ...over }),
  )
  return 'picks.json'
}

beforeAll(async () => {
  const piece = DEMO_PIECES.lamp
  mesh = polygonise(piece.field, piece.bounds, 1.5, quietContext())
  set = [...photoSet(piece, ['upright'], 9, WIDTH, 7, ALL_EFFECTS)]
  mkdirSync(join(folder, 'photos'))
  writeFileSync(join(folder, 'lamp.ply'), Buffer.concat([...writeShape(mesh, 'ply')]))
  for (const { name, photo } of set) {
    const upright = sharp(photo.rgb, { raw: { width: photo.width, height: photo.height, channels: 3 } })
    // One is written lying on its side, as a camera does that was held so; the tag says which way is up (Exif 2.32, 274).
    const lying =
      name === set[4].name ? sharp(await upright.rotate(90).png().toBuffer()).withMetadata({ orientation: 8 }) : upright
    await lying
      .withExifMerge({ IFD2: { FocalLengthIn35mmFilm: String(Math.round((set[0].camera.focalPx / WIDTH) * 36)) } })
      .jpeg({ quality: 92 })
      .toFile(join(folder, 'photos', name))
  }
})

test('picks on one photo give the cameras of all nine, and colour takes them', () => {
  const run = holosoma(
    'cameras',
    'lamp.ply',
    '--photos',
    'photos',
    '--picks',
    picks(),
    '--out',
    'cameras.json',
    '--json',
  )
  expect(run.stderr.trim()).toBe('')
  const told = JSON.parse(run.stdout) as { photos: number; residualPx: Record<string, number>; bad: string[] }
  expect(told.photos).toBe(9)
  expect(told.bad).toEqual([])
  expect(Object.keys(told.residualPx).sort()).toEqual(set.map((s) => s.name).sort())
  const { photos } = JSON.parse(readFileSync(join(folder, 'cameras.json'), 'utf8')) as { photos: CameraRecord[] }
  const off = photos
    .map((record) => apartPx(mesh, cameraOf(record), set.find((s) => s.name === record.file)!.camera))
    .sort((a, b) => a - b)
  expect((off[off.length >> 1] * 640) / WIDTH).toBeLessThan(0.8)
  expect((off.at(-1)! * 640) / WIDTH).toBeLessThan(2.5)
  const coloured = holosoma(
    'colour',
    'lamp.ply',
    'lamp.obj',
    '--photos',
    'photos',
    '--cameras',
    'cameras.json',
    '--sheet',
    '512',
    '--json',
  )
  expect(coloured.stderr.trim()).toBe('')
  expect((JSON.parse(coloured.stdout) as { seen: number }).seen).toBeGreaterThan(0.5)
  // Its materials and its picture lie beside it.
  expect(readFileSync(join(folder, 'lamp.mtl'), 'utf8')).toContain('map_Kd lamp-1.png')
  expect(readFileSync(join(folder, 'lamp-1.png')).subarray(1, 4).toString()).toBe('PNG')
})

test('what makes no sense is said in one sentence, and nothing is written', () => {
  const refused: [Record<string, unknown>, RegExp][] = [
    [{ file: 'none.jpg' }, /has no photo "none.jpg"/],
    [{ pairs: [] }, /must contain at least 1 items/],
    [{ photos: [set[0].name, set[1].name] }, /is not among the photos of its turn/],
    [{ turn: { stepDeg: 0 } }, /stepDeg contains an invalid value/],
  ]
  for (const [over, sentence] of refused) {
    const run = holosoma('cameras', 'lamp.ply', '--photos', 'photos', '--picks', picks(over), '--out', 'none.json')
    expect(run.status).not.toBe(0)
    expect(run.stderr).toMatch(sentence)
    expect(run.stderr.trim().split('\n')).toHaveLength(1)
    expect(() => readFileSync(join(folder, 'none.json'))).toThrow()
  }
})
