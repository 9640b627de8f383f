import { strToU8, zipSync } from 'fflate'
import { describe, expect, test } from 'vitest'
import { checkHealth } from '../mesh/health'
import { quietContext } from '../context'
import { healthFindings } from '../operations/mend'
import type { PointCloud, TriangleMesh } from '../shapes'
import { assertSound } from '../sound-shape'
import { cpuSecondsOf } from '../testing/cpu'
import { cube, spherePoints } from '../testing/solids'
import { bytesSource, listZip, readGlb, readShape, readZipEntry, writeGlb } from './index'
import { nestsDeeper } from './json-depth'

const text = (s: string): Uint8Array => new TextEncoder().encode(s)
const read = (bytes: Uint8Array, name: string, chunk = 997) => readShape(bytesSource(bytes, chunk), name)
/** What these files ask for takes minutes, hours or more memory than there is. */
const MAX_CPU_SECONDS = 15
const bounded = async <T>(work: () => Promise<T>): Promise<T> => {
  const { result, cpuSeconds } = await cpuSecondsOf(work)
  expect(cpuSeconds).toBeLessThan(MAX_CPU_SECONDS)
  return result
}

describe('small files that ask for much', () => {
  const doubling = (levels: number): Uint8Array => {
    const objects = Array.from(
      { length: levels },
      (_, i) =>
        `<object id="${i + 2}"><components><component objectid="${i + 1}"/><component objectid="${i + 1}"/></components></object>`,
    )
    const model = `<model unit="millimeter"><resources><object id="1"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object>${objects.join('')}</resources><build><item objectid="${levels + 1}"/></build></model>`
    return zipSync({ '3D/3dmodel.model': strToU8(model) })
  }
  test('a 3MF that doubles its parts 30 times is refused at once; a few copies are taken', async () => {
    await bounded(() => expect(read(doubling(30), 'a.3mf')).rejects.toThrow(/repeats its parts more often than can be/))
    expect(((await read(doubling(6), 'a.3mf')) as TriangleMesh).indices.length / 3).toBe(64)
  })
  const gltf = (over: object): Uint8Array =>
    text(
      JSON.stringify({
        asset: { version: '2.0' },
        scene: 0,
        scenes: [{ nodes: [0] }],
        nodes: [{ mesh: 0 }],
        meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
        ...over,
      }),
    )
  test.each([
    [
      '20 million points and no data',
      { accessors: [{ componentType: 5126, count: 20_000_000, type: 'VEC3' }] },
      /claims 20000000 values and holds none/,
    ],
    [
      '20 million points over a few bytes',
      {
        accessors: [{ bufferView: 0, componentType: 5126, count: 20_000_000, type: 'VEC3' }],
        bufferViews: [{ buffer: 0, byteLength: 12 }],
        buffers: [{ byteLength: 12, uri: 'data:,' }],
      },
      /claims 20000000 values, more than a file of \d+ bytes/,
    ],
    [
      '20 million points, three of them told',
      { accessors: [{ componentType: 5126, count: 20_000_000, type: 'VEC3', sparse: { count: 3 } }] },
      /claims 20000000 values, more/,
    ],
    [
      'a node that holds itself',
      { nodes: [{ mesh: 0, children: [0] }], accessors: [] },
      /do not hang together as a tree/,
    ],
    [
      'nodes within nodes',
      {
        nodes: Array.from({ length: 4000 }, (_, i) => ({ ...(i < 3999 && { children: [i + 1] }), mesh: 0 })),
        accessors: [],
      },
      /nest without end/,
    ],
  ])('a glTF of %s', async (_what, over, wanted) =>
    bounded(() => expect(read(gltf(over), 'a.gltf')).rejects.toThrow(wanted)),
  )
  test('JSON that nests a hundred thousand deep is refused and overflows nothing', async () => {
    const deep = `{"a":${'['.repeat(100_000)}${']'.repeat(100_000)}}`
    await bounded(() => expect(read(text(deep), 'a.gltf')).rejects.toThrow(/nests deeper/))
    expect(nestsDeeper(deep, 24)).toBe(true)
    expect(nestsDeeper('{"a":"[[[[[[\\"[[[[","b":[1,{"c":[]}]}', 4)).toBe(false)
  })
  test('20,000 faces on one edge: judged in seconds, and what was not looked at is not called sound', async () => {
    const n = 20_000
    const positions = new Float32Array((n + 2) * 3)
    positions.set([0, 0, -1, 0, 0, 1])
    for (let i = 0; i < n; i++)
      positions.set([Math.cos((2 * Math.PI * i) / n), Math.sin((2 * Math.PI * i) / n), 0], (i + 2) * 3)
    const indices = Uint32Array.from({ length: n * 3 }, (_, k) => (k % 3 < 2 ? k % 3 : (k - 2) / 3 + 2))
    const health = await bounded(() =>
      Promise.resolve(checkHealth({ kind: 'mesh', positions, indices }, quietContext(1))),
    )
    expect([health.nonManifoldEdges, health.borderEdges, health.crossingsComplete]).toEqual([1, 2 * n, false])
    expect(healthFindings(health)[0]).toMatchObject({
      verdict: 'unsound',
      text: expect.stringMatching(/not all could be looked at for crossings/) as string,
    })
  })
})

describe('a stored shape that comes back changed', () => {
  const cloud: PointCloud = { ...spherePoints(10, 50), frame: new Uint16Array(50), frameOrigins: new Float64Array(3) }
  /** The header rewritten, the bytes left. */
  const changed = (
    change: (json: {
      accessors: { count: number }[]
      bufferViews: { byteOffset: number; byteLength: number }[]
      meshes: { extras?: { holosoma: Record<string, unknown> } }[]
    }) => void,
    shape: PointCloud | TriangleMesh = cloud,
  ): Uint8Array => {
    const bytes = writeGlb(shape)
    const view = new DataView(bytes.buffer)
    const length = view.getUint32(12, true)
    const json = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)))
    change(json)
    const head = text(JSON.stringify(json))
    const padded = new Uint8Array(Math.ceil(head.length / 4) * 4).fill(32)
    padded.set(head)
    const out = new Uint8Array(bytes.length - length + padded.length)
    out.set(bytes.subarray(0, 20))
    out.set(padded, 20)
    out.set(bytes.subarray(20 + length), 20 + padded.length)
    new DataView(out.buffer).setUint32(8, out.length, true)
    new DataView(out.buffer).setUint32(12, padded.length, true)
    return out
  }
  test.each<[string, Parameters<typeof changed>[0], RegExp]>([
    ['a false count', (j) => (j.accessors[0].count = 51), /claims 51 entries, and there are bytes for 50/],
    [
      'normals for fewer points',
      (j) => {
        j.accessors[1].count = 40
        j.bufferViews[1].byteLength = 480
      },
      /50 points and 40 normals/,
    ],
    ['an offset before the beginning', (j) => (j.bufferViews[0].byteOffset = -24), /not where it says/],
    ['an offset past the end', (j) => (j.bufferViews[0].byteOffset = 1e9), /reaches past the end/],
    ['a count that is no number', (j) => ((j.accessors[0] as { count: unknown }).count = '50'), /not where it says/],
    ['a view that is not there', (j) => j.bufferViews.splice(0), /not where it says/],
    [
      'frames that stood nowhere',
      (j) => (j.meshes[0].extras!.holosoma.frameOriginsMm = [1, 2, 'x']),
      /no list of places/,
    ],
  ])('%s', async (_what, change, wanted) => {
    expect(() => readGlb(changed(change))).toThrow(wanted)
    await expect(read(changed(change), 'own.glb')).rejects.toThrow(wanted)
  })
  test('unchanged it is taken; a point of a frame that is not there is not', () => {
    expect(readGlb(changed(() => undefined))).toEqual(readGlb(writeGlb(cloud)))
    expect(() => assertSound({ ...cloud, frame: new Uint16Array(50).fill(3) })).toThrow(
      /seen by frame 3, but there are only 1/,
    )
    expect(() => assertSound({ ...cloud, normals: new Float32Array(150).fill(NaN) })).toThrow(
      /normal of point 1 is not a number/,
    )
    expect(() => assertSound({ ...cube(1), evidence: new Uint8Array(3) })).toThrow(/8 points and 3 marks of evidence/)
  })
})

describe('archives', () => {
  test('a file whose check sum is wrong is named (CRC-32, PKWARE APPNOTE 4.4.7)', async () => {
    const zip = zipSync({ 'a.ply': strToU8('ply\n'), 'b.xyz': strToU8('1 2 3\n4 5 6\n7 8 9\n') }, { level: 0 })
    const at = Buffer.from(zip).indexOf('4 5 6')
    const hurt = zip.slice()
    hurt[at] = 0x39
    expect((await listZip(hurt)).map((e) => e.name)).toEqual(['a.ply', 'b.xyz'])
    expect(new TextDecoder().decode(await readZipEntry(hurt, 'a.ply'))).toBe('ply\n')
    await expect(readZipEntry(hurt, 'b.xyz')).rejects.toThrow(/“b\.xyz” is damaged: its check sum/)
  })
})

describe('no point is lost to the way lines end', () => {
  const rows = Array.from({ length: 1000 }, (_, i) => `${i} ${(i * 7) % 13} ${i % 5}`)
  const ends: Readonly<Record<string, (i: number) => string>> = {
    LF: () => '\n',
    CRLF: () => '\r\n',
    CR: () => '\r',
    mixed: (i) => ['\n', '\r\n', '\r'][i % 3],
    'CR, then LF': (i) => (i < 500 ? '\r' : '\n'),
    'LF, then CR': (i) => (i < 500 ? '\n' : '\r'),
  }
  const join = (lines: readonly string[], end: (i: number) => string, last: boolean): string =>
    lines.map((l, i) => (i < lines.length - 1 || last ? l + end(i) : l)).join('')
  const files: Readonly<Record<string, readonly string[]>> = {
    'a.xyz': rows,
    'a.csv': rows.map((r) => r.replaceAll(' ', ',')),
    'a.obj': [...rows.map((r) => `v ${r}`), 'f 1 2 3'],
    'a.ply': [
      'ply',
      'format ascii 1.0',
      'element vertex 1000',
      'property float x',
      'property float y',
      'property float z',
      'end_header',
      ...rows,
    ],
    'a.off': ['OFF', '1000 1 0', ...rows, '3 0 1 2'],
    'a.pcd': [
      'VERSION .7',
      'FIELDS x y z',
      'SIZE 4 4 4',
      'TYPE F F F',
      'COUNT 1 1 1',
      'WIDTH 1000',
      'HEIGHT 1',
      'POINTS 1000',
      'DATA ascii',
      ...rows,
    ],
  }
  for (const [name, lines] of Object.entries(files)) {
    test(name, async () => {
      for (const [end, of] of Object.entries(ends)) {
        for (const last of [true, false]) {
          for (const chunk of [1 << 16, 61]) {
            const shape = await read(text(join(lines, of, last)), name, chunk)
            expect([end, last, chunk, shape.positions.length / 3]).toEqual([end, last, chunk, 1000])
          }
        }
      }
    })
  }
  test('an ASCII STL, too', async () => {
    const lines = [
      'solid a',
      'facet normal 0 0 1',
      'outer loop',
      'vertex 0 0 0',
      'vertex 1 0 0',
      'vertex 0 1 0',
      'endloop',
      'endfacet',
      'endsolid a',
    ]
    for (const of of Object.values(ends))
      expect(((await read(text(join(lines, of, false)), 'a.stl')) as TriangleMesh).indices.length).toBe(3)
  })
  test('a binary PLY with a header of CR lines keeps a first byte that looks like a line end', async () => {
    const header = text(
      [
        'ply',
        'format binary_little_endian 1.0',
        'element vertex 2',
        'property float x',
        'property float y',
        'property float z',
        'end_header',
        '',
      ].join('\r'),
    )
    // 10 as the lowest byte of the first coordinate.
    const body = new Uint8Array(24)
    body.set([10, 0, 128, 63])
    const cloud = await read(Uint8Array.from([...header, ...body]), 'a.ply')
    expect(cloud.positions.length).toBe(6)
    expect(cloud.positions[0]).toBeCloseTo(1, 5)
  })
})

test('what a reader passes over is told, with its number', async () => {
  const told = async (content: string, name: string): Promise<Record<string, number>> => {
    const left: Record<string, number> = {}
    await readShape(bytesSource(text(content)), name, (what, count) => (left[what] = count))
    return left
  }
  const PCD = (n: number): string =>
    `VERSION .7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nCOUNT 1 1 1\nWIDTH ${n}\nHEIGHT 1\nPOINTS ${n}\nDATA ascii\n`
  expect(await told(`${PCD(3)}1 2 3\nnan nan nan\n4 5 6\n`, 'a.pcd')).toEqual({
    'points without a place, which is how the device marks what it did not see': 1,
  })
  expect(await told('OFF\n3 2 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n2 0 1\n9 9 9\n', 'a.off')).toEqual({
    'lines and single points among the faces': 1,
    'lines after the last face': 1,
  })
  expect(await told('v 0 0 0\nv 1 0 0 1 0 0\nl 1 2\np 1\n', 'a.obj')).toEqual({
    'lines and single points, which are no surface': 2,
    'colours, since not every point has one': 1,
  })
  const ply =
    'ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nproperty float z\nelement edge 1\nproperty int a\nend_header\n1 2 3\n7\n4 5 6\n7 8 9\n'
  expect(await told(ply, 'a.ply')).toEqual({
    'entries of “edge”, which is neither points nor faces': 1,
    'lines after the last element': 2,
  })
  expect(await told('1 2 3\n4 5 6\n', 'a.xyz')).toEqual({})
})
