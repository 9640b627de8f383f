import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, describe, expect, test } from 'vitest'
import { identityMotion, type PointCloud } from '@holosoma/core'
import { compose, rotationMotion, transformPoint } from '@holosoma/core/linear'
import { deviationColours } from './deviation-colours'
import { loadCloud, loadJson, loadMesh, loadShape, saveShape, takeName } from './files'
import { localMotion, localPicks, outerMotions } from './origins'

const folder = mkdtempSync(join(tmpdir(), 'holosoma-files-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))

const cloud = (over: Partial<PointCloud> = {}): PointCloud => ({
  kind: 'cloud',
  positions: Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0),
  frame: Uint16Array.of(0, 1, 1),
  frameOrigins: Float64Array.of(0, 0, 300, 10, 0, 300),
  ...over,
})

describe('frames beside a take', () => {
  test('are written and read with it', async () => {
    await saveShape(cloud(), join(folder, 'a.ply'))
    expect(JSON.parse(readFileSync(join(folder, 'a.frames.json'), 'utf8'))).toEqual({
      frames: [{ originMm: [0, 0, 300] }, { originMm: [10, 0, 300] }],
    })
    expect(await loadCloud(join(folder, 'a.ply'))).toEqual(cloud())
  })
  test('of a take far from zero are those of the file', async () => {
    const far = cloud({ originMm: [500_000, 0, 0] })
    await saveShape(far, join(folder, 'far.ply'))
    expect(
      (JSON.parse(readFileSync(join(folder, 'far.frames.json'), 'utf8')) as { frames: { originMm: number[] }[] })
        .frames[1].originMm,
    ).toEqual([500_010, 0, 300])
    expect((await loadCloud(join(folder, 'far.ply'))).frameOrigins).toEqual(far.frameOrigins)
  })
  test('missing ones leave a take without frames; wrong ones are refused', async () => {
    await saveShape(cloud(), join(folder, 'b.ply'))
    rmSync(join(folder, 'b.frames.json'))
    expect((await loadCloud(join(folder, 'b.ply'))).frame).toBeUndefined()
    writeFileSync(join(folder, 'b.frames.json'), '{ "frames": [ { "originMm": [0, 0, 1] } ] }')
    await expect(loadCloud(join(folder, 'b.ply'))).rejects.toThrow('names frame 1, but "b.frames.json" lists only 1')
    writeFileSync(join(folder, 'b.frames.json'), '{ "frames": [ { "originMm": [0, 0] } ] }')
    await expect(loadCloud(join(folder, 'b.ply'))).rejects.toThrow('should hold { "frames"')
  })
})

test('names, kinds and broken JSON', async () => {
  expect(takeName('/a/b.c/upright 1.ply')).toBe('upright 1')
  await expect(loadMesh(join(folder, 'a.ply'))).rejects.toThrow('holds points without triangles')
  await expect(loadShape(join(folder, 'none.ply'))).rejects.toThrow('There is no file')
  writeFileSync(join(folder, 'x.json'), '{')
  await expect(loadJson(join(folder, 'x.json'))).rejects.toThrow('is not valid JSON')
})

describe('origins at the border', () => {
  const names = ['a', 'b']
  const takes = [cloud({ originMm: [1000, 0, 0] }), cloud({ originMm: [0, 2000, 0] })]
  test('outer → local → outer is the same motion, and both send a point to the same place', () => {
    const outer = compose(rotationMotion([0, 0, 1], 0.4, [5, 6, 7]), identityMotion())
    const local = localMotion(outer, takes[1], takes[0])
    const back = outerMotions({ a: identityMotion(), b: local }, names, takes, 'a')
    back.b.forEach((v, i) => expect(v).toBeCloseTo(outer[i], 9))
    const p = transformPoint(outer, 3, 2004, 5)
    const q = transformPoint(local, 3, 4, 5)
    ;[1000, 0, 0].forEach((o, c) => expect(q[c] + o).toBeCloseTo(p[c], 8))
  })
  test('picks move with their takes', () => {
    const [pair] = localPicks(
      [{ a: { take: 'a', at: [1003, 1, 2] }, b: { take: 'b', at: [3, 2001, 2] } }],
      names,
      takes,
    )
    expect(pair).toEqual({ a: { take: 'a', at: [3, 1, 2] }, b: { take: 'b', at: [3, 1, 2] } })
    expect(() => localPicks('no', names, takes)).toThrow('A picks file holds')
  })
})

test('deviation colours: paper in the middle, indigo inside, umber outside, never more than nine steps', () => {
  const d = Float32Array.from({ length: 401 }, (_, i) => (i - 200) / 100)
  const c = deviationColours(d, 1)
  const at = (i: number): number[] => Array.from(c.subarray(i * 3, i * 3 + 3))
  expect(at(200)).toEqual([245, 241, 232])
  expect(at(0)).toEqual([59, 63, 140])
  expect(at(400)).toEqual([138, 90, 34])
  expect(new Set(Array.from({ length: 401 }, (_, i) => at(i).join())).size).toBe(9)
})
