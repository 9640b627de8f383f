import { Document, NodeIO } from '@gltf-transform/core'
import { strToU8, zipSync } from 'fflate'
import { PCDLoader } from 'three/examples/jsm/loaders/PCDLoader.js'
import { describe, expect, test } from 'vitest'
import { isGeometryError } from '../errors'
import { seededRandom } from '../linear/random'
import { rotationMotion } from '../linear/rigid'
import { massProperties } from '../mesh/health'
import { boundsOf, type PointCloud, type TriangleMesh } from '../shapes'
import { cube, icosahedron, spherePoints, torus } from '../testing/solids'
import {
  assembleFrames,
  bytesSource,
  listZip,
  nameOf,
  readPoseList,
  readShape,
  readZipEntry,
  writeShape,
  type WriteFormat,
} from './index'

const text = (s: string) => new TextEncoder().encode(s)
const read = (bytes: Uint8Array, name: string, chunk = 41) => readShape(bytesSource(bytes, chunk), name)
const refusal = async (bytes: Uint8Array, name: string): Promise<string> => {
  try {
    await read(bytes, name)
  } catch (error) {
    return (error as Error).message
  }
  throw new Error('was not refused')
}
const bytesOf = (shape: PointCloud | TriangleMesh, format: WriteFormat): Uint8Array => {
  const parts = [...writeShape(shape, format)]
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0))
  parts.reduce((at, p) => (out.set(p, at), at + p.length), 0)
  return out
}

describe('OFF', () => {
  // The worked example of the Princeton Shape Benchmark's format page: a unit cube of six squares.
  const CUBE =
    'OFF\n8 6 0\n-0.5 -0.5 0.5\n0.5 -0.5 0.5\n-0.5 0.5 0.5\n0.5 0.5 0.5\n-0.5 0.5 -0.5\n0.5 0.5 -0.5\n-0.5 -0.5 -0.5\n0.5 -0.5 -0.5\n4 0 1 3 2\n4 2 3 5 4\n4 4 5 7 6\n4 6 7 1 0\n4 1 7 5 3\n4 6 0 2 4\n'
  test('the published cube: eight points, twelve triangles, volume one', async () => {
    const mesh = (await read(text(CUBE), 'cube.off')) as TriangleMesh
    expect([mesh.positions.length / 3, mesh.indices.length / 3]).toEqual([8, 12])
    expect(massProperties(mesh).volumeMm3).toBeCloseTo(1, 6)
  })
  test('counts on the first line, comments, line ends of three kinds, colours of points and faces, normals', async () => {
    const one = (await read(
      text(
        'COFF 3 1 0\r\n# a comment\r\n0 0 0 255 0 0 255\r1 0 0 0 255 0 255\n0 1 0 0 0 255 255 # end\n3 0 1 2 0.5 0.5 0.5\n',
      ),
      'a.off',
    )) as TriangleMesh
    expect(Array.from(one.colours!)).toEqual([255, 0, 0, 0, 255, 0, 0, 0, 255])
    const other = (await read(text('NOFF\n1 0 0\n1 2 3 0 0 2\n'), 'a.off')) as PointCloud
    expect(other).toMatchObject({ kind: 'cloud' })
    expect(Array.from(other.normals!)).toEqual([0, 0, 1])
  })
  test.each([
    ['another file', 'solid x\n', /no OFF file/],
    ['counts that lie', 'OFF\n90000000 0 0\n0 0 0\n', /claims 90000000 points/],
    ['an end too early', CUBE.slice(0, 60), /ends after|should hold a point/],
    ['a wrong point number', 'OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n', /names point 7, but there are only 3/],
    ['no points', 'OFF\n0 0 0\n', /no points/],
    ['a huge number', 'OFF\n1 0 0\n1e30 0 0\n', /farther out/],
    ['half a face', 'OFF\n3 1 0\n0 0 0\n1 0 0\n0 1 0\n3 0 1\n', /should hold a face/],
  ])('%s', async (_name, content, wanted) => expect(await refusal(text(content), 'a.off')).toMatch(wanted))
})

describe('PCD', () => {
  const HEAD = (fields: string, sizes: string, types: string, n: number, data: string): string =>
    `# .PCD v.7 - Point Cloud Data file format\nVERSION .7\nFIELDS ${fields}\nSIZE ${sizes}\nTYPE ${types}\nCOUNT ${fields
      .split(' ')
      .map(() => 1)
      .join(' ')}\nWIDTH ${n}\nHEIGHT 1\nVIEWPOINT 0 0 0 1 0 0 0\nPOINTS ${n}\nDATA ${data}\n`
  // First points of the example in the Point Cloud Library's description of the format; colours are floats whose bits
  // are the bytes.
  const EXAMPLE = `${HEAD('x y z rgb', '4 4 4 4', 'F F F F', 4, 'ascii')}0.93773 0.33763 0 4.2108e+06\n0.90805 0.35641 0 4.2108e+06\n0.81915 0.32 0 4.2108e+06\n0.97192 0.278 0 4.2108e+06\n`
  test('the published example, as another reader reads it', async () => {
    const cloud = (await read(text(EXAMPLE), 'a.pcd')) as PointCloud
    const theirs = new PCDLoader().parse(text(EXAMPLE).buffer)
    expect(Array.from(cloud.positions)).toEqual(Array.from(theirs.geometry.getAttribute('position').array))
    expect(cloud.positions[0]).toBeCloseTo(0.93773, 6)
    expect(cloud.colours!.length).toBe(12)
  })
  test('binary, with normals and packed colours; points that are not there are left out', async () => {
    const points = spherePoints(10, 40)
    const head = text(HEAD('x y z normal_x normal_y normal_z rgb', '4 4 4 4 4 4 4', 'F F F F F F U', 41, 'binary'))
    const body = new DataView(new ArrayBuffer(41 * 28))
    for (let i = 0; i < 41; i++) {
      for (let c = 0; c < 3; c++) {
        body.setFloat32(i * 28 + c * 4, i < 40 ? points.positions[i * 3 + c] : NaN, true)
        body.setFloat32(i * 28 + 12 + c * 4, i < 40 ? points.normals![i * 3 + c] : NaN, true)
      }
      body.setUint32(i * 28 + 24, (i << 16) | (200 << 8) | 7, true)
    }
    const bytes = new Uint8Array([...head, ...new Uint8Array(body.buffer)])
    const cloud = (await read(bytes, 'a.pcd')) as PointCloud
    expect(cloud.positions).toEqual(points.positions)
    cloud.normals!.forEach((v, i) => expect(v).toBeCloseTo(points.normals![i], 6))
    expect(Array.from(cloud.colours!.subarray(9, 12))).toEqual([3, 200, 7])
    expect(await refusal(bytes.subarray(0, bytes.length - 20), 'a.pcd')).toMatch(/ends after 40 of 41 points/)
  })
  test.each([
    ['another file', 'ply\n', /no PCD file/],
    ['no header', '# x\n1 2 3\n', /no FIELDS/],
    ['no z', HEAD('x y', '4 4', 'F F', 1, 'ascii'), /needs the fields x, y and z/],
    ['counts that lie', HEAD('x y z', '4 4 4', 'F F F', 99999999, 'binary'), /claims 99999999 points/],
    [
      'compressed',
      HEAD('x y z', '4 4 4', 'F F F', 1, 'binary_compressed'),
      /can't be read; save it as ascii or binary/,
    ],
    ['a word', `${HEAD('x y z', '4 4 4', 'F F F', 1, 'ascii')}1 two 3\n`, /"two" where a number/],
    ['a size that can’t be', HEAD('x y z', '3 4 4', 'F F F', 1, 'ascii'), /size, type or count/],
    ['a short row', `${HEAD('x y z', '4 4 4', 'F F F', 1, 'ascii')}1 2\n`, /2 values where the header promises 3/],
    ['only points that are not there', `${HEAD('x y z', '4 4 4', 'F F F', 1, 'ascii')}nan nan nan\n`, /no points/],
  ])('%s', async (_name, content, wanted) => expect(await refusal(text(content), 'a.pcd')).toMatch(wanted))
})

describe('glTF of other programs', () => {
  /** Written by another library: a cube of 2 m, moved by its node. */
  const written = async (change?: (d: Document) => void): Promise<Uint8Array> => {
    const d = new Document()
    const buffer = d.createBuffer()
    const box = cube(2)
    const primitive = d
      .createPrimitive()
      .setAttribute('POSITION', d.createAccessor().setType('VEC3').setArray(box.positions.slice()).setBuffer(buffer))
      .setIndices(d.createAccessor().setType('SCALAR').setArray(Uint16Array.from(box.indices)).setBuffer(buffer))
      .setAttribute(
        'COLOR_0',
        d
          .createAccessor()
          .setType('VEC3')
          .setArray(new Float32Array(box.positions.length).fill(0.21586))
          .setBuffer(buffer),
      )
    d.createScene().addChild(
      d
        .createNode()
        .setTranslation([0, 5, 0])
        .addChild(d.createNode().setScale([2, 1, 1]).setMesh(d.createMesh().addPrimitive(primitive))),
    )
    change?.(d)
    return new NodeIO().writeBinary(d)
  }
  test('metres and Y up become millimetres and Z up; nodes move what hangs on them; linear light becomes sRGB', async () => {
    const mesh = (await read(await written(), 'box.glb')) as TriangleMesh
    const { min, max } = boundsOf(mesh.positions)
    const own = boundsOf(cube(2).positions)
    expect(max[0] - min[0]).toBeCloseTo(4000, 2)
    expect(max[2] - min[2]).toBeCloseTo(2000, 2)
    // Up in the file by 5 m.
    expect(min[2] + (mesh.originMm?.[2] ?? 0)).toBeCloseTo(5000 + own.min[1] * 1000, 2)
    expect(massProperties(mesh).volumeMm3 / 1.6e10).toBeCloseTo(1, 5)
    // 0.2159 linear is 128 of 255 in sRGB (IEC 61966-2-1).
    expect(mesh.colours![0]).toBe(128)
  })
  test('our own file, its maker’s name struck out, comes back through the other library at true size and upright', async () => {
    const bytes = bytesOf(icosahedron(), 'glb').slice()
    const at = Buffer.from(bytes).indexOf('Holosoma')
    bytes.fill(88, at, at + 8)
    const back = (await read(bytes, 'a.glb')) as TriangleMesh
    back.positions.forEach((v, i) => expect(v).toBeCloseTo(icosahedron().positions[i], 5))
    expect(back.indices).toEqual(icosahedron().indices)
  })
  test('points are a cloud', async () => {
    const cloud = await read(
      await written((d) => d.getRoot().listMeshes()[0].listPrimitives()[0].setMode(0)),
      'points.glb',
    )
    expect(cloud.kind).toBe('cloud')
  })
  test('text with its data inside; a file of its own for the data is refused by name', async () => {
    const positions = Float32Array.from([0, 0, 0, 1, 0, 0, 0, 1, 0])
    const uri = `data:application/octet-stream;base64,${Buffer.from(positions.buffer).toString('base64')}`
    const json = (where: string): Uint8Array =>
      text(
        JSON.stringify({
          asset: { version: '2.0' },
          scene: 0,
          scenes: [{ nodes: [0] }],
          nodes: [{ mesh: 0 }],
          meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
          accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
          bufferViews: [{ buffer: 0, byteLength: 36 }],
          buffers: [{ byteLength: 36, uri: where }],
        }),
      )
    expect(((await read(json(uri), 'a.gltf')) as TriangleMesh).indices.length).toBe(3)
    expect(await refusal(json('points.bin'), 'a.gltf')).toContain('another file, “points.bin”')
  })
  test.each([
    [
      'lines',
      async () => written((d) => d.getRoot().listMeshes()[0].listPrimitives()[0].setMode(1)),
      /only points and triangles/,
    ],
    ['an empty scene', async () => new NodeIO().writeBinary(new Document()), /no points|structure is broken/],
    ['no glTF at all', async () => text('hello, this is no model at all'), /no glTF|can be read/],
    ['half of it', async () => (await written()).subarray(0, 300), /^This GLB file breaks off before its end\.$/],
  ])('%s', async (_name, make, wanted) => expect(await refusal(await make(), 'a.glb')).toMatch(wanted))
})

describe('3MF', () => {
  const MODEL = (unit: string, inner: string): string =>
    `<?xml version="1.0" encoding="UTF-8"?>\n<model unit="${unit}" xml:lang="en-US" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02">${inner}</model>`
  const box = cube(2)
  const object = (id: number, more = ''): string =>
    `<object id="${id}" type="model"><mesh><vertices>${Array.from({ length: box.positions.length / 3 }, (_, i) => `<vertex x="${box.positions[i * 3]}" y="${box.positions[i * 3 + 1]}" z="${box.positions[i * 3 + 2]}"/>`).join('')}</vertices><triangles>${Array.from({ length: box.indices.length / 3 }, (_, i) => `<triangle v1="${box.indices[i * 3]}" v2="${box.indices[i * 3 + 1]}" v3="${box.indices[i * 3 + 2]}"/>`).join('')}</triangles></mesh>${more}</object>`
  const pack = (model: string, path = '3D/3dmodel.model'): Uint8Array =>
    zipSync({ '[Content_Types].xml': strToU8('<Types/>'), [path]: strToU8(model) })
  test('units of the core specification, transforms of items and components, row vectors', async () => {
    for (const [unit, mm] of [
      ['millimeter', 1],
      ['inch', 25.4],
      ['meter', 1000],
      ['micron', 0.001],
    ] as const) {
      const mesh = (await read(
        pack(MODEL(unit, `<resources>${object(1)}</resources><build><item objectid="1"/></build>`)),
        'a.3mf',
      )) as TriangleMesh
      expect(massProperties(mesh).volumeMm3 / (2 * mm) ** 3).toBeCloseTo(1, 4)
    }
    const moved = (await read(
      pack(
        MODEL(
          'millimeter',
          `<resources>${object(1)}<object id="2"><components><component objectid="1" transform="1 0 0 0 1 0 0 0 1 10 0 0"/><component objectid="1" transform="-1 0 0 0 1 0 0 0 1 -10 0 0"/></components></object></resources><build><item objectid="2" transform="0 1 0 -1 0 0 0 0 1 0 0 7"/></build>`,
        ),
      ),
      'a.3mf',
    )) as TriangleMesh
    // Two boxes, one mirrored and still right side out.
    expect(massProperties(moved).volumeMm3).toBeCloseTo(16, 4)
    const { min, max } = boundsOf(moved.positions)
    expect(max[1] - min[1]).toBeCloseTo(24, 5)
    expect((min[2] + max[2]) / 2 - (boundsOf(box.positions).min[2] + boundsOf(box.positions).max[2]) / 2).toBeCloseTo(
      7,
      5,
    )
  })
  test.each([
    ['without a model', zipSync({ 'readme.txt': strToU8('hello') }), /no model in this 3MF/],
    ['not an archive', text('PK but not really'), /broken or not a ZIP/],
    ['an unknown unit', pack(MODEL('furlong', '')), /unit “furlong” is not known/],
    ['broken XML', pack('<model><resources>'), /is broken/],
    [
      'a point that is not there',
      pack(
        MODEL(
          'millimeter',
          '<resources><object id="1"><mesh><vertices><vertex x="0" y="0" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object></resources><build><item objectid="1"/></build>',
        ),
      ),
      /names point 1, but it has only 1/,
    ],
    [
      'a word for a number',
      pack(
        MODEL(
          'millimeter',
          '<resources><object id="1"><mesh><vertices><vertex x="a" y="0" z="0"/></vertices></mesh></object></resources>',
        ),
      ),
      /“x” is not a number/,
    ],
    [
      'parts in a ring',
      pack(
        MODEL(
          'millimeter',
          '<resources><object id="1"><components><component objectid="1"/></components></object></resources><build><item objectid="1"/></build>',
        ),
      ),
      /without end/,
    ],
    [
      'an object that is not there',
      pack(MODEL('millimeter', '<resources/><build><item objectid="9"/></build>')),
      /object 9, which it does not hold/,
    ],
  ])('%s', async (_name, bytes, wanted) => expect(await refusal(bytes, 'a.3mf')).toMatch(wanted))
})

describe('archives', () => {
  test('files are listed by their last name; folders, hidden files and tricks with paths lead nowhere', async () => {
    const zip = zipSync({
      'set/upright.ply': strToU8('ply'),
      'set/': new Uint8Array(0),
      '../../etc/passwd.ply': strToU8('x'),
      'C:\\windows\\b.ply': strToU8('y'),
      '.hidden': strToU8('z'),
      '__MACOSX/a.ply': strToU8('q'),
    })
    const names = (await listZip(zip)).map((e) => e.name)
    expect(names.sort()).toEqual(['b.ply', 'passwd.ply', 'upright.ply'])
    expect(new TextDecoder().decode(await readZipEntry(zip, 'set/upright.ply'))).toBe('ply')
    // However long a name is, its ending stays.
    expect(nameOf(`/a/${'x'.repeat(300)}.ply`)).toMatch(/^x{196}\.ply$/)
    await expect(readZipEntry(zip, 'nope.ply')).rejects.toThrow('“nope.ply” is not in the archive.')
  })
  test('an archive that unpacks to far more than it holds is not opened', async () => {
    await expect(listZip(zipSync({ 'bomb.ply': new Uint8Array(40_000_000) }))).rejects.toThrow(
      'would unpack to 38 MB from next to nothing',
    )
    await expect(
      listZip(zipSync(Object.fromEntries(Array.from({ length: 2001 }, (_, i) => [`f${i}.ply`, strToU8('a')])))),
    ).rejects.toThrow('more than 2000 files')
    await expect(listZip(text('no archive'))).rejects.toThrow('broken or not a ZIP file')
  })
})

describe('frames with a list of poses', () => {
  const a: PointCloud = {
    kind: 'cloud',
    positions: Float32Array.from([0, 0, 100, 10, 0, 100]),
    normals: Float32Array.from([0, 0, -1, 0, 0, -1]),
  }
  test('they become one take with frames and origins', () => {
    const poses = readPoseList(
      '# two frames\n"first one.ply" 1 0 0 5 0 1 0 0 0 0 1 0\r\nsecond.ply 0 -1 0 0 1 0 0 0 0 0 1 50 0 0 0 1\n',
    )
    expect(poses.map((p) => p.file)).toEqual(['first one.ply', 'second.ply'])
    const take = assembleFrames(poses.map((p) => ({ motion: p.motion, cloud: a })))
    expect(Array.from(take.frame!)).toEqual([0, 0, 1, 1])
    expect(Array.from(take.frameOrigins!)).toEqual([5, 0, 0, 0, 0, 50])
    expect(Array.from(take.positions)).toEqual([5, 0, 100, 15, 0, 100, 0, 0, 150, 0, 10, 150])
    expect(take.normals!.length).toBe(12)
  })
  test('a cloud far from zero keeps its place', () => {
    const far: PointCloud = { ...a, originMm: [1000, 0, 0] }
    const turn = rotationMotion([0, 0, 1], Math.PI / 2)
    const take = assembleFrames([{ motion: turn, cloud: far }])
    expect(take.positions[1]).toBeCloseTo(1000, 3)
    expect(Array.from(take.frameOrigins!)).toEqual([0, 0, 0])
  })
  test.each([
    ['', 'holds no frame'],
    ['a.ply 1 2 3', 'Line 1 of the list of poses should hold a file name and twelve numbers'],
    ['a.ply 1 0 0 0 0 1 0 0 0 0 2 0', 'is no motion'],
    [
      'a.ply 1 0 0 0 0 1 0 0 0 0 1 0\na.ply 1 0 0 0 0 1 0 0 0 0 1 0',
      'Line 2 of the list of poses names “a.ply” a second time',
    ],
    ['a.ply 1 0 0 x 0 1 0 0 0 0 1 0', 'twelve numbers'],
  ])('%j is refused', (content, wanted) => expect(() => readPoseList(content)).toThrow(wanted))
})

test('3,900 seeded mutations over all readers, counts and line ends among them: a shape or a sentence, never a crash, a hang or a flood', async () => {
  const r = seededRandom(77)
  const mesh = torus(10, 3, 12, 8),
    cloud = spherePoints(10, 60)
  const glb = await (async () => {
    const d = new Document()
    d.createScene().addChild(
      d
        .createNode()
        .setMesh(
          d
            .createMesh()
            .addPrimitive(
              d
                .createPrimitive()
                .setAttribute(
                  'POSITION',
                  d
                    .createAccessor()
                    .setType('VEC3')
                    .setArray(icosahedron().positions.slice())
                    .setBuffer(d.createBuffer()),
                )
                .setMode(0),
            ),
        ),
    )
    return new NodeIO().writeBinary(d)
  })()
  const off = text(
    `OFF\n${mesh.positions.length / 3} ${mesh.indices.length / 3} 0\n${Array.from({ length: mesh.positions.length / 3 }, (_, i) => mesh.positions.slice(i * 3, i * 3 + 3).join(' ')).join('\n')}\n${Array.from({ length: mesh.indices.length / 3 }, (_, i) => `3 ${mesh.indices.slice(i * 3, i * 3 + 3).join(' ')}`).join('\n')}\n`,
  )
  const pcd = text(
    `VERSION .7\nFIELDS x y z\nSIZE 4 4 4\nTYPE F F F\nCOUNT 1 1 1\nWIDTH 60\nHEIGHT 1\nPOINTS 60\nDATA ascii\n${Array.from({ length: 60 }, (_, i) => cloud.positions.slice(i * 3, i * 3 + 3).join(' ')).join('\n')}\n`,
  )
  const threemf = zipSync({
    '3D/3dmodel.model': strToU8(
      '<model unit="millimeter"><resources><object id="1"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="1" y="0" z="0"/><vertex x="0" y="1" z="0"/></vertices><triangles><triangle v1="0" v2="1" v3="2"/></triangles></mesh></object></resources><build><item objectid="1"/></build></model>',
    ),
  })
  const seeds: readonly (readonly [string, Uint8Array])[] = [
    ['a.ply', bytesOf(cloud, 'ply')],
    ['b.ply', bytesOf(mesh, 'ply')],
    ['a.stl', bytesOf(mesh, 'stl')],
    ['a.obj', bytesOf(mesh, 'obj')],
    ['a.xyz', bytesOf(cloud, 'xyz')],
    ['own.glb', bytesOf(cloud, 'glb')],
    ['a.off', off],
    ['a.pcd', pcd],
    ['foreign.glb', glb],
    ['a.3mf', threemf],
    ['mesh.glb', bytesOf(mesh, 'glb')],
    ['c.csv', bytesOf(cloud, 'xyz')],
    [
      'a.gltf',
      text(
        JSON.stringify({
          asset: { version: '2.0' },
          scene: 0,
          scenes: [{ nodes: [0] }],
          nodes: [{ mesh: 0 }],
          meshes: [{ primitives: [{ attributes: { POSITION: 0 } }] }],
          accessors: [{ bufferView: 0, componentType: 5126, count: 3, type: 'VEC3' }],
          bufferViews: [{ buffer: 0, byteLength: 36 }],
          buffers: [
            { byteLength: 36, uri: `data:application/octet-stream;base64,${Buffer.alloc(36, 7).toString('base64')}` },
          ],
        }),
      ),
    ],
  ]
  let shapes = 0,
    refused = 0
  for (let i = 0; i < 3900; i++) {
    const [name, from] = seeds[i % seeds.length]
    const bytes = mutate(from, r)
    const cpu = process.cpuUsage()
    try {
      const shape = await read(bytes, name, 1000)
      if (!(shape.positions.length > 0 && shape.positions.length < bytes.length * 2 + 1000))
        throw new Error(`${name}, mutation ${i}: ${shape.positions.length / 3} points out of ${bytes.length} bytes`)
      shapes++
    } catch (error) {
      if (!isGeometryError(error))
        throw new Error(`${name}, mutation ${i}: ${(error as Error).stack}`, { cause: error })
      expect(error.message).toMatch(/[.?]$/)
      refused++
    }
    expect(process.cpuUsage(cpu).user / 1e6).toBeLessThan(15)
  }
  expect(shapes).toBeGreaterThan(200)
  expect(refused).toBeGreaterThan(300)
}, 120_000)

function mutate(from: Uint8Array, r: { next(): number; integer(n: number): number }): Uint8Array {
  let bytes = Uint8Array.from(from)
  const times = 1 + r.integer(4)
  for (let k = 0; k < times; k++) {
    const at = r.integer(Math.max(1, bytes.length))
    switch (r.integer(8)) {
      case 0:
        bytes[at] = r.integer(256)
        break
      case 1:
        bytes[at] ^= 1 << r.integer(8)
        break
      case 2:
        bytes = bytes.slice(0, at)
        break
      case 3:
        bytes = Uint8Array.from([...bytes.subarray(0, at), ...bytes.subarray(at + 1 + r.integer(8))])
        break
      // Lines that end otherwise from here on.
      case 5: {
        const end = [[13], [13, 10], [10, 13]][r.integer(3)]
        bytes = Uint8Array.from([...bytes].flatMap((b, i) => (b === 10 && i >= at ? end : [b])))
        break
      }
      // A count that claims a thousand million times as much.
      case 6: {
        const digit = bytes.findIndex((b, i) => i >= at && b >= 49 && b <= 57)
        if (digit >= 0)
          bytes = Uint8Array.from([
            ...bytes.subarray(0, digit + 1),
            ...Array.from({ length: 9 }, () => 48),
            ...bytes.subarray(digit + 1),
          ])
        break
      }
      case 4:
        bytes = Uint8Array.from([
          ...bytes.subarray(0, at),
          ...Array.from({ length: 1 + r.integer(6) }, () => 48 + r.integer(10)),
          ...bytes.subarray(at),
        ])
        break
      default:
        bytes.set([255, 255, 255, 127].slice(0, Math.max(0, bytes.length - at)), at)
    }
  }
  return bytes
}
