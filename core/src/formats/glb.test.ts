import { validateBytes } from 'gltf-validator'
import { describe, expect, test } from 'vitest'
import { pickTriangles, type Picture, type PointCloud, type Shape, type TriangleMesh } from '../shapes'
import { icosahedron, spherePoints, torus } from '../testing/solids'
import { weldVertices } from '../mesh/weld'
import { assertFits } from '../sound-shape'
import { readGlb } from './glb'
import { writeGlb } from './glb-writer'

// Khronos glTF-Validator (npm: gltf-validator): the reference checker of the glTF 2.0 specification.
async function judged(shape: Shape): Promise<{ errors: string[]; warnings: string[] }> {
  const report = (await validateBytes(writeGlb(shape), { maxIssues: 50 })) as {
    issues: { numErrors: number; messages: { severity: number; code: string; pointer: string }[] }
  }
  const of = (severity: number): string[] =>
    report.issues.messages.filter((m) => m.severity === severity).map((m) => `${m.code} ${m.pointer}`)
  expect(of(0)).toHaveLength(report.issues.numErrors)
  return { errors: of(0), warnings: of(1) }
}

const cloud = spherePoints(20, 301)
const full: PointCloud = {
  ...cloud,
  colours: new Uint8Array(301 * 3).map((_, i) => i),
  confidence: new Float32Array(301).fill(0.5),
  frame: new Uint16Array(301).map((_, i) => i % 12),
  frameOrigins: Float64Array.of(0, 0, 300, 10, 0, 300),
  originMm: [500_000, 1, -2],
}
const mesh: TriangleMesh = {
  ...torus(20, 6, 30, 20),
  evidence: new Uint8Array(600).map((_, i) => i % 3),
  colours: new Uint8Array(1800).fill(7),
}

/** A picture of one red point, so that the validator can open it. */
const red: Picture = {
  mime: 'image/png',
  bytes: Uint8Array.from(
    atob('iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAIAAACQd1PeAAAADElEQVR4nGP4z8AAAAMBAQDJ/pLvAAAAAElFTkSuQmCC'),
    (c) => c.charCodeAt(0),
  ),
}
/** Every corner has a place of its own; faces in three runs: of the second picture, of none, of the first. */
const coloured: TriangleMesh = {
  ...icosahedron(),
  uvs: new Float32Array(120).map((_, i) => i / 128),
  picture: new Uint16Array(20).map((_, f) => (f < 7 ? 2 : f < 11 ? 0 : 1)),
  pictures: [red, { ...red, bytes: red.bytes.slice() }],
}
/** One place a point: a picture without seams. */
const seamless: TriangleMesh = {
  ...coloured,
  uvs: Float32Array.from([...coloured.indices].flatMap((v) => [v / 16, 1 - v / 32])),
}

describe('stored shapes are valid glTF 2.0 by the reference validator', () => {
  test.each<[string, Shape]>([
    ['a bare cloud', { kind: 'cloud', positions: cloud.positions }],
    ['a cloud with normals', cloud],
    ['a cloud with all it can carry', full],
    ['a cloud with normals that are not known', { ...cloud, normals: new Float32Array(301 * 3) }],
    ['one point', { kind: 'cloud', positions: Float32Array.of(1, 2, 3) }],
    ['a mesh', icosahedron()],
    ['a mesh with evidence and colours', mesh],
    ['a mesh under pictures, with seams at every edge', coloured],
    ['a mesh under pictures without seams', seamless],
  ])('%s', async (_what, shape) => {
    const { errors, warnings } = await judged(shape)
    expect(errors).toEqual([])
    expect(warnings).toEqual([])
  })
  test('the validator would tell: a broken file is not passed', async () => {
    const bytes = writeGlb(icosahedron())
    new DataView(bytes.buffer).setUint32(8, bytes.length - 4, true)
    const report = (await validateBytes(bytes)) as { issues: { numErrors: number } }
    expect(report.issues.numErrors).toBeGreaterThan(0)
  })
})

describe('layout', () => {
  const header = (
    shape: Shape,
  ): {
    accessors: { bufferView: number; componentType: number; count: number; min?: number[]; max?: number[] }[]
    bufferViews: { byteOffset: number; byteLength: number; byteStride?: number }[]
    meshes: { primitives: { attributes: Record<string, number>; mode: number }[] }[]
    nodes: { matrix: number[] }[]
  } => {
    const bytes = writeGlb(shape)
    const length = new DataView(bytes.buffer).getUint32(12, true)
    return JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)))
  }
  test('every view and stride is a multiple of four bytes; no attribute is of 32-bit whole numbers (glTF 2.0, 3.6.2.4 and 3.7.2.1)', () => {
    const json = header(full)
    for (const view of json.bufferViews) {
      expect(view.byteOffset % 4).toBe(0)
      expect((view.byteStride ?? 4) % 4).toBe(0)
    }
    for (const index of Object.values(json.meshes[0].primitives[0].attributes))
      expect(json.accessors[index].componentType).not.toBe(5125)
  })
  test('extra attributes begin with an underscore, points are drawn as points, bounds are given', () => {
    const {
      primitives: [primitive],
    } = header(full).meshes[0]
    expect(Object.keys(primitive.attributes).sort()).toEqual(['NORMAL', 'POSITION', '_CONFIDENCE', '_FRAME', '_SRGB'])
    expect(primitive.mode).toBe(0)
    const position = header(full).accessors[primitive.attributes.POSITION]
    for (let c = 0; c < 3; c++) {
      const values = Array.from({ length: 301 }, (_, i) => cloud.positions[i * 3 + c])
      expect(position.min![c]).toBe(Math.min(...values))
      expect(position.max![c]).toBe(Math.max(...values))
    }
  })
  test('the root node turns Z up to Y up and millimetres to metres, without a mirror', () => {
    const m = header(mesh).nodes[0].matrix
    const at = (x: number, y: number, z: number): number[] =>
      [0, 1, 2].map((r) => m[r] * x + m[4 + r] * y + m[8 + r] * z)
    const plain = (v: number[]): number[] => v.map((n) => n + 0)
    expect(plain(at(0, 0, 1000))).toEqual([0, 1, 0])
    expect(plain(at(1000, 0, 0))).toEqual([1, 0, 0])
    expect(plain(at(0, 1000, 0))).toEqual([0, 0, -1])
  })
  test('truncated and foreign files are refused', () => {
    const bytes = writeGlb(mesh)
    expect(() => readGlb(bytes.subarray(0, bytes.length - 8))).toThrow('should have')
    expect(() => readGlb(bytes.subarray(0, 10))).toThrow('not a glTF binary')
  })
})

describe('pictures on faces', () => {
  test.each([
    ['with seams', coloured],
    ['without seams', seamless],
    ['with unused points', { ...coloured, positions: Float32Array.of(...coloured.positions, 1, 2, 3) }],
  ])('come back as they were, %s: points, corners and faces keep their numbers', (_what, shape) => {
    expect(readGlb(writeGlb(shape))).toEqual(shape)
  })
  test('stay with their corners when points are welded and faces picked', () => {
    // The same mesh with a point for every corner: welding must give back the places of each corner.
    const soup: TriangleMesh = {
      ...coloured,
      positions: Float32Array.from(
        [...coloured.indices].flatMap((v) => [...coloured.positions.subarray(v * 3, v * 3 + 3)]),
      ),
      indices: Uint32Array.from({ length: 60 }, (_, i) => i),
    }
    const welded = weldVertices(soup)
    expect(welded.positions.length).toBe(36)
    expect(welded.uvs).toEqual(coloured.uvs)
    const two = pickTriangles(coloured, [12, 3])
    expect(two.picture).toEqual(Uint16Array.of(1, 2))
    expect(two.uvs).toEqual(Float32Array.of(...coloured.uvs!.subarray(72, 78), ...coloured.uvs!.subarray(18, 24)))
  })
  test.each([
    ['a picture that is not there', { ...coloured, picture: new Uint16Array(20).fill(3) }, /picture 3; there are 2/],
    ['a corner without its place', { ...coloured, uvs: new Float32Array(118) }, /60 corners and 59 places/],
    ['pictures without places', { ...coloured, uvs: undefined }, /nothing says which triangle/],
  ])('are refused when they do not fit: %s', (_what, shape, said) => {
    expect(() => assertFits(shape as TriangleMesh)).toThrow(said)
  })
  test('a run of faces that ends within one is refused: what comes after would have wrong pictures', () => {
    const bytes = writeGlb(coloured)
    const length = new DataView(bytes.buffer).getUint32(12, true)
    const json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length))) as {
      meshes: { primitives: { indices: number }[] }[]
      accessors: { bufferView: number; count: number }[]
      bufferViews: { byteLength: number }[]
    }
    const runs = json.meshes[0].primitives.map((p) => json.accessors[p.indices])
    expect(runs.map((r) => r.count)).toEqual([21, 12, 27])
    // One corner less in the first, two less in the last: whole triangles again when all are counted together.
    for (const [run, fewer] of [
      [runs[0], 1],
      [runs[2], 2],
    ] as const) {
      run.count -= fewer
      json.bufferViews[run.bufferView].byteLength -= 4 * fewer
    }
    bytes.fill(0x20, 20, 20 + length)
    bytes.set(new TextEncoder().encode(JSON.stringify(json)), 20)
    expect(() => readGlb(bytes)).toThrow('a triangle has not all of its three corners')
  })
  test('a changed file that names points wrongly is refused in a sentence', () => {
    const bytes = writeGlb(coloured)
    const length = new DataView(bytes.buffer).getUint32(12, true)
    const json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length))) as {
      meshes: { primitives: { attributes: Record<string, number> }[] }[]
      accessors: { bufferView: number }[]
      bufferViews: { byteOffset: number }[]
    }
    const at = json.bufferViews[json.accessors[json.meshes[0].primitives[0].attributes._POINT].bufferView].byteOffset
    // The vertex after the twelve points is one of theirs; now it says it is of the ninety-ninth.
    bytes[28 + length + at + 12 * 4] = 99
    expect(() => readGlb(bytes)).toThrow(/names a point that is not there/)
  })
})
