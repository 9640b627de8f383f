import { readFileSync } from 'node:fs'
import { createRequire } from 'node:module'
import { dirname, join } from 'node:path'
import assimpjs from 'assimpjs'
import { beforeAll, describe, expect, test } from 'vitest'
import { checkHealth, massProperties } from '../mesh/health'
import { quietContext } from '../context'
import { boundsOf, type TriangleMesh } from '../shapes'
import { torus } from '../testing/solids'
import { bytesSource, readShape, writeShape, type WriteFormat } from './index'

/*
 * Files written by other people and other programs: the sample files that ride along in the registry packages
 * `node-stl` (volumes as its own tests state them) and `assimpjs`; and assimp itself (a general-purpose C++ importer,
 * as WebAssembly) as second reader and writer.
 */

const folder = (name: string): string => dirname(createRequire(import.meta.url).resolve(`${name}/package.json`))
const read = async (bytes: Uint8Array, name: string): Promise<TriangleMesh> =>
  (await readShape(bytesSource(bytes), name)) as TriangleMesh
const area = ({ positions: p, indices: t }: TriangleMesh): number => {
  let sum = 0
  for (let f = 0; f < t.length; f += 3) {
    const [a, b, c] = [0, 1, 2].map((k) => t[f + k] * 3) as [number, number, number]
    const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]),
      v = [0, 1, 2].map((k) => p[c + k] - p[a + k])
    sum += Math.hypot(u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]) / 2
  }
  return sum
}

describe('STL files of other people', () => {
  const stl = (name: string): Promise<TriangleMesh> =>
    read(readFileSync(join(folder('node-stl'), 'test/test_data', name)), name)
  test.each([
    ['WALLY_1plate.stl, text', 'WALLY_1plate.stl', 22.86382329248822],
    ['RasPiCaseLight.stl, binary', 'RasPiCaseLight.stl', 1.0919298479039214],
    ['002.STL, binary that begins with “solid”', '002.STL', 48.6251007777451],
  ])('%s: the stated volume in cm³', async (_name, file, volumeCm3) => {
    expect(massProperties(await stl(file)).volumeMm3 / 1000).toBeCloseTo(volumeCm3, 3)
  })
  test('boxes: area, volume, middle', async () => {
    const box = await stl('box_2x3x4.stl')
    expect(area(box)).toBeCloseTo(52, 6)
    expect(massProperties(box).volumeMm3).toBeCloseTo(24, 5)
    const offset = await stl('box_3x3x3_offset.stl')
    expect(area(offset)).toBeCloseTo(54, 3)
    expect(massProperties(offset).volumeMm3).toBeCloseTo(27, 3)
    const { min, max } = boundsOf(offset.positions)
    for (let c = 0; c < 3; c++) expect((min[c] + max[c]) / 2).toBeCloseTo(1.5, 4)
    expect(checkHealth(offset, quietContext()).closed).toBe(true)
  })
  test('one with two facets without area: they are left out, what is left is closed and measures what is stated', async () => {
    // The package calls the file not watertight: it counts the edges of the two facets, 201,286 in all.
    const wing = await stl('Pterosaur_FDM.stl')
    const { min, max } = boundsOf(wing.positions)
    expect(max.map((v, c) => Math.round(v - min[c]))).toEqual([60, 45, 50])
    expect(wing.indices.length / 3).toBe(201_286 - 2)
    // Euler: V − E + F = 2 for a closed surface without handles, E = 3F/2.
    expect(wing.positions.length / 3 - wing.indices.length / 6).toBe(2)
  })
})

describe('another reader and writer: assimp', () => {
  let assimp: Awaited<ReturnType<typeof assimpjs>>
  beforeAll(async () => {
    assimp = await assimpjs()
  }, 60_000)
  const convert = (files: readonly (readonly [string, Uint8Array])[], to: string): Uint8Array => {
    const list = new assimp.FileList()
    for (const [name, bytes] of files) list.AddFile(name, bytes)
    const result = assimp.ConvertFileList(list, to)
    if (!result.IsSuccess()) throw new Error(result.GetErrorCode())
    return result.GetFile(0).GetContent()
  }
  /** What assimp reads: corners of all triangles. */
  const theirs = (name: string, bytes: Uint8Array): { faces: number; bounds: ReturnType<typeof boundsOf> } => {
    const scene = JSON.parse(new TextDecoder().decode(convert([[name, bytes]], 'assjson'))) as {
      meshes: { vertices: number[]; faces: number[][] }[]
    }
    return {
      faces: scene.meshes.reduce((n, m) => n + m.faces.reduce((k, f) => k + f.length - 2, 0), 0),
      bounds: boundsOf(Float32Array.from(scene.meshes.flatMap((m) => m.vertices))),
    }
  }
  const close = (a: ReturnType<typeof boundsOf>, b: ReturnType<typeof boundsOf>): void => {
    for (let c = 0; c < 3; c++) {
      expect(a.min[c]).toBeCloseTo(b.min[c], 4)
      expect(a.max[c]).toBeCloseTo(b.max[c], 4)
    }
  }
  const cube = ['cube_with_materials.obj', 'cube_with_materials.mtl'].map(
    (n) => [n, readFileSync(join(folder('assimpjs'), 'examples/testfiles', n))] as const,
  )
  test('the OBJ that comes with it: twelve triangles, closed, where assimp has them', async () => {
    const mesh = await read(cube[0][1], cube[0][0])
    expect(mesh.indices.length / 3).toBe(12)
    expect(checkHealth(mesh, quietContext()).closed).toBe(true)
    close(boundsOf(mesh.positions), theirs(cube[0][0], cube[0][1]).bounds)
  })
  test('a GLB that assimp has written: metres with y up become millimetres with z up', async () => {
    const glb = await read(Uint8Array.from(convert(cube, 'glb2')), 'cube.glb')
    expect(glb.indices.length / 3).toBe(12)
    const obj = boundsOf((await read(cube[0][1], cube[0][0])).positions),
      out = boundsOf(glb.positions)
    // (x, y, z) in metres → (x, −z, y) · 1000.
    close(out, {
      min: [obj.min[0] * 1000, -obj.max[2] * 1000, obj.min[1] * 1000],
      max: [obj.max[0] * 1000, -obj.min[2] * 1000, obj.max[1] * 1000],
    })
  })
  test.each(['stl', 'ply', 'obj'] as WriteFormat[])(
    'what we write as %s it reads: the same triangles in the same place',
    (format) => {
      const mesh = torus(20, 6, 32, 16)
      const parts = [...writeShape(mesh, format)]
      const bytes = new Uint8Array(parts.reduce((n, p) => n + p.length, 0))
      parts.reduce((at, p) => (bytes.set(p, at), at + p.length), 0)
      const seen = theirs(`torus.${format}`, bytes)
      expect(seen.faces).toBe(mesh.indices.length / 3)
      close(seen.bounds, boundsOf(mesh.positions))
    },
  )
  test('an OFF file both read alike', async () => {
    const off = new TextEncoder().encode('OFF\n4 4 6\n0 0 0\n3 0 0\n0 4 0\n0 0 5\n3 0 2 1\n3 0 1 3\n3 0 3 2\n3 1 2 3\n')
    const mesh = await read(off, 'tetra.off')
    expect(massProperties(mesh).volumeMm3).toBeCloseTo(10, 6)
    const other = theirs('tetra.off', off)
    expect(other.faces).toBe(4)
    close(boundsOf(mesh.positions), other.bounds)
  })
})
