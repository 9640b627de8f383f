import { describe, expect, test } from 'vitest'
import { GLTFLoader } from 'three/examples/jsm/loaders/GLTFLoader.js'
import { MTLLoader } from 'three/examples/jsm/loaders/MTLLoader.js'
import { OBJLoader } from 'three/examples/jsm/loaders/OBJLoader.js'
import { PLYLoader } from 'three/examples/jsm/loaders/PLYLoader.js'
import { STLLoader } from 'three/examples/jsm/loaders/STLLoader.js'
import type { BufferGeometry, Mesh } from 'three'
import { seededRandom } from '../linear/random'
import { boundsOf, type PointCloud, type Shape, type TriangleMesh } from '../shapes'
import { cube, exploded, icosahedron, spherePoints, torus } from '../testing/solids'
import type { Unit } from '../measure/scale'
import { quietContext } from '../context'
import { unwrap } from '../unwrap/unwrap'
import {
  bytesSource,
  readGlb,
  readShape,
  writeFilesIn,
  writeGlb,
  writeShape,
  writeShapeIn,
  type WriteFormat,
} from './index'

const text = (s: string) => new TextEncoder().encode(s)
const bytesOf = (shape: Shape, format: WriteFormat): Uint8Array<ArrayBuffer> => {
  const parts = [...writeShape(shape, format)]
  const out = new Uint8Array(parts.reduce((n, p) => n + p.length, 0))
  parts.reduce((at, p) => (out.set(p, at), at + p.length), 0)
  return out
}
/** Read in pieces of an odd size, so that every border falls somewhere awkward. */
const read = (bytes: Uint8Array, name: string, chunk = 37) => readShape(bytesSource(bytes, chunk), name)
const refusal = async (bytes: Uint8Array, name: string): Promise<string> => {
  try {
    await read(bytes, name)
  } catch (error) {
    return (error as Error).message
  }
  throw new Error('was not refused')
}

const rich: PointCloud = {
  ...spherePoints(20, 50),
  colours: Uint8Array.from({ length: 150 }, (_, i) => i),
  confidence: Float32Array.from({ length: 50 }, (_, i) => i / 50),
  frame: Uint16Array.from({ length: 50 }, (_, i) => i % 4),
}
const evident: TriangleMesh = {
  ...icosahedron(),
  evidence: Uint8Array.from({ length: 12 }, (_, i) => i % 3),
  colours: Uint8Array.from({ length: 36 }, (_, i) => i * 7),
}

describe('what is written is read back the same', () => {
  test('PLY: a cloud with all it can carry, a mesh with evidence', async () => {
    expect(await read(bytesOf(rich, 'ply'), 'a.ply')).toEqual(rich)
    expect(await read(bytesOf(evident, 'ply'), 'a.ply')).toEqual(evident)
  })
  test('STL: 84 + 50·F bytes (de facto specification), vertices welded exactly', async () => {
    const mesh = torus(10, 3, 30, 20)
    const bytes = bytesOf(mesh, 'stl')
    expect(bytes.length).toBe(84 + 50 * 1200)
    const back = (await read(bytes, 'a.stl', 1000)) as TriangleMesh
    expect(back.positions.length / 3).toBe(600)
    expect(exploded(back).positions).toEqual(exploded(mesh).positions)
  })
  test('OBJ: every Float32 digit, and colours', async () => {
    const back = (await read(bytesOf(evident, 'obj'), 'a.obj')) as TriangleMesh
    expect(back.positions).toEqual(evident.positions)
    expect(back.indices).toEqual(evident.indices)
    expect(back.colours).toEqual(evident.colours)
  })
  test('XYZ: points, normals, colours', async () => {
    const back = (await read(bytesOf(rich, 'xyz'), 'a.xyz')) as PointCloud
    expect(back.positions).toEqual(rich.positions)
    expect(back.colours).toEqual(rich.colours)
    back.normals!.forEach((v, i) => expect(v).toBeCloseTo(rich.normals![i], 6))
  })
  test('GLB: all attributes, odd counts, far origins and frame origins', () => {
    for (const n of [1, 2, 3, 5]) {
      const p = (k: number) => Float32Array.from({ length: n * k }, (_, i) => i + 0.5)
      const cloud: PointCloud = {
        kind: 'cloud',
        positions: p(3),
        normals: Float32Array.from({ length: n * 3 }, (_, i) => (i % 3 === 2 ? 1 : 0)),
        colours: new Uint8Array(n * 3).fill(9),
        confidence: p(1),
        frame: new Uint16Array(n).fill(3),
        frameOrigins: Float64Array.of(1, 2, 3),
        originMm: [1e6, -2e6, 3],
      }
      expect(readGlb(writeGlb(cloud))).toEqual(cloud)
    }
    expect(readGlb(writeGlb(evident))).toEqual(evident)
  })
  test('the same shape gives the same bytes', () => {
    for (const format of ['ply', 'obj', 'glb', 'stl'] as const)
      expect(bytesOf(evident, format)).toEqual(bytesOf({ ...evident }, format))
  })
  test('coordinates far from zero keep their digits through PLY', async () => {
    const head =
      'ply\nformat ascii 1.0\nelement vertex 2\nproperty double x\nproperty double y\nproperty double z\nend_header\n'
    const far = (await read(
      text(`${head}500000.125 4000000.0625 12.5\n500001.25 4000000.5 12.75\n`),
      'a.ply',
    )) as PointCloud
    expect(far.originMm).toEqual([500000, 4000000, 13])
    const again = (await read(bytesOf(far, 'ply'), 'a.ply')) as PointCloud
    expect(Array.from(again.positions, (v, i) => v + again.originMm![i % 3])).toEqual([
      500000.125, 4000000.0625, 12.5, 500001.25, 4000000.5, 12.75,
    ])
  })
})

describe('an independent reader (three.js loaders) finds the same in our files', () => {
  const same = (geometry: BufferGeometry, mesh: TriangleMesh): void => {
    const p = geometry.getAttribute('position')
    const index = geometry.getIndex()
    const soup = index
      ? Array.from(index.array).flatMap((v) => [p.getX(v), p.getY(v), p.getZ(v)])
      : Array.from({ length: p.count }, (_, v) => [p.getX(v), p.getY(v), p.getZ(v)]).flat()
    expect(Float32Array.from(soup)).toEqual(exploded(mesh).positions)
  }
  const mesh = torus(10, 3, 16, 12)
  test('PLY', () => {
    same(new PLYLoader().parse(bytesOf(mesh, 'ply').buffer), mesh)
    const cloud = new PLYLoader().parse(bytesOf(rich, 'ply').buffer)
    expect(Float32Array.from(cloud.getAttribute('position').array)).toEqual(rich.positions)
    expect(Float32Array.from(cloud.getAttribute('normal').array)).toEqual(rich.normals)
  })
  test('STL', () => same(new STLLoader().parse(bytesOf(mesh, 'stl').buffer), mesh))
  test('OBJ', () =>
    same((new OBJLoader().parse(new TextDecoder().decode(bytesOf(mesh, 'obj'))).children[0] as Mesh).geometry, mesh))
  test('OBJ with a picture: places, and the material that names it', () => {
    const { mesh: laid } = unwrap(cube(10), { sheetPx: 256 }, quietContext())
    const textured: TriangleMesh = {
      ...laid,
      picture: new Uint16Array(laid.indices.length / 3).fill(1),
      pictures: [{ mime: 'image/png', bytes: Uint8Array.of(1, 2, 3) }],
    }
    const [object, library] = writeFilesIn(textured, 'obj', 'mm', 'cube').map(({ chunks }) =>
      new TextDecoder().decode(Buffer.concat([...chunks])),
    )
    const [part] = new OBJLoader().parse(object).children as Mesh[]
    const uv = part.geometry.getAttribute('uv')
    expect(uv.count).toBe(laid.indices.length)
    // It counts up from the lower edge, a shape down from the upper one.
    for (let i = 0; i < uv.count; i++) {
      expect(uv.getX(i)).toBeCloseTo(laid.uvs![i * 2], 5)
      expect(uv.getY(i)).toBeCloseTo(1 - laid.uvs![i * 2 + 1], 5)
    }
    const { materialsInfo } = new MTLLoader().parse(library, '')
    expect(materialsInfo[(part.material as { name: string }).name].map_kd).toBe('cube-1.png')
  })
  test('GLB: true size and upright, that is metres with Y up (glTF 2.0, section 3.3)', async () => {
    const tall: TriangleMesh = { ...cube(1), positions: cube(1).positions.map((v, i) => v * [10, 20, 300][i % 3]) }
    const { scene } = await new GLTFLoader().parseAsync(bytesOf(tall, 'glb').buffer, '')
    scene.updateMatrixWorld(true)
    const node = scene.getObjectByProperty('isMesh', true) as Mesh
    node.geometry.computeBoundingBox()
    const box = node.geometry.boundingBox!.applyMatrix4(node.matrixWorld)
    const size = [box.max.x - box.min.x, box.max.y - box.min.y, box.max.z - box.min.z]
    ;[0.01, 0.3, 0.02].forEach((v, i) => expect(size[i]).toBeCloseTo(v, 6))
  })
  test('GLB: places on a sheet as they were laid, a cube’s faces each as large there as they are', async () => {
    const { mesh: laid, sheetPx, texelMm } = unwrap(cube(10), { sheetPx: 256 }, quietContext())
    const { scene } = await new GLTFLoader().parseAsync(bytesOf(laid, 'glb').buffer, '')
    const { geometry } = scene.getObjectByProperty('isMesh', true) as Mesh
    const uv = geometry.getAttribute('uv')
    const soup = geometry.index ? Array.from(geometry.index.array) : [...Array(uv.count).keys()]
    expect(soup).toHaveLength(36)
    const texels = (v: number): [number, number] => [uv.getX(v) * sheetPx, uv.getY(v) * sheetPx]
    for (let f = 0; f < 36; f += 3) {
      const [a, b, c] = soup.slice(f, f + 3).map(texels)
      const twice = Math.abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
      expect(twice * texelMm ** 2).toBeCloseTo(100, 1)
    }
  })
})

describe('PLY in all its forms', () => {
  const headOf = (format: string, extra = '') =>
    `ply\r\nformat ${format} 1.0\r\ncomment ééé counted in bytes\r\nelement camera 2\r\n` +
    `property uchar id\r\nproperty list uchar float k\r\nelement vertex 5\r\nproperty double z\r\n` +
    `property uchar red\r\nproperty short y\r\nproperty uchar green\r\nproperty float x\r\n` +
    `property uchar blue\r\n${extra}element face 2\r\nproperty uchar flag\r\n` +
    `property list uchar ushort vertex_index\r\nend_header\r\n`
  const points = [
    [0, 0, 0],
    [4, 0, 0],
    [4, 3, 0],
    [2, 5, 0],
    [0, 3, 0],
  ] as const
  test.each([
    ['binary_little_endian', true],
    ['binary_big_endian', false],
  ] as const)('%s: mixed types and order, unknown elements skipped, a pentagon fanned', async (format, little) => {
    const body = new DataView(new ArrayBuffer(400))
    let at = 0
    for (let c = 0; c < 2; c++) {
      body.setUint8(at++, 7)
      body.setUint8(at++, 2)
      for (let k = 0; k < 2; k++, at += 4) body.setFloat32(at, 9.5, little)
    }
    for (const [i, [x, y, z]] of points.entries()) {
      body.setFloat64(at, z, little)
      body.setUint8(at + 8, i)
      body.setInt16(at + 9, y, little)
      body.setUint8(at + 11, 100 + i)
      body.setFloat32(at + 12, x, little)
      body.setUint8(at + 16, 200 + i)
      at += 17
    }
    for (const face of [
      [0, 1, 2, 3, 4],
      [4, 2, 0],
    ]) {
      body.setUint8(at++, 1)
      body.setUint8(at++, face.length)
      for (const v of face) {
        body.setUint16(at, v, little)
        at += 2
      }
    }
    const head = text(headOf(format))
    const bytes = new Uint8Array(head.length + at)
    bytes.set(head)
    bytes.set(new Uint8Array(body.buffer, 0, at), head.length)
    for (const chunk of [1, 13, 1 << 16]) {
      const mesh = (await read(bytes, 'a.ply', chunk)) as TriangleMesh
      expect(Array.from(mesh.positions)).toEqual(points.flat())
      expect(Array.from(mesh.indices)).toEqual([0, 1, 2, 0, 2, 3, 0, 3, 4, 4, 2, 0])
      expect(Array.from(mesh.colours!.subarray(0, 6))).toEqual([0, 100, 200, 1, 101, 201])
    }
  })
  test('ASCII with blank lines, float colours and normals that are not unit', async () => {
    const s =
      'ply\nformat ascii 1.0\nobj_info made by hand\nelement vertex 2\nproperty float x\nproperty float y\n' +
      'property float z\nproperty float nx\nproperty float ny\nproperty float nz\nproperty float red\n' +
      'property float green\nproperty float blue\nend_header\n\n1 2 3 0 0 2 1 0.5 0\n4 5 6 3 0 0 0 1 0\n'
    const cloud = (await read(text(s), 'a.PLY')) as PointCloud
    expect(cloud.kind).toBe('cloud')
    expect(Array.from(cloud.normals!)).toEqual([0, 0, 1, 1, 0, 0])
    expect(Array.from(cloud.colours!)).toEqual([255, 128, 0, 0, 255, 0])
  })
})

describe('STL: which of the two it is, is judged by size and content', () => {
  const ascii = (lead: string) =>
    `${lead}\n facet normal 0 0 1\n  outer loop\n   vertex 0 0 0\n   vertex 1 0 0\n   vertex 0 1 0\n` +
    `  endloop\n endfacet\n facet normal 0 0 1\n  outer loop\n   vertex 1 0 0\n   vertex 1 1 0\n` +
    `   vertex 0 1 0\n  endloop\n endfacet\nendsolid x\n`
  test.each(['solid lamp', 'solid\tlamp', '  solid'])('ASCII that begins with "%s"', async (lead) => {
    const mesh = (await read(text(ascii(lead)), 'a.stl')) as TriangleMesh
    expect([mesh.positions.length / 3, mesh.indices.length / 3]).toEqual([4, 2])
  })
  test('a binary file whose header begins with "solid"', async () => {
    const bytes = bytesOf(cube(2), 'stl')
    bytes.set(text('solid not ascii at all'))
    expect(((await read(bytes, 'a.stl')) as TriangleMesh).indices.length / 3).toBe(12)
  })
  test('old line ends', async () => {
    expect(
      ((await read(text(ascii('solid').replaceAll('\n', '\r')), 'a.stl')) as TriangleMesh).indices.length / 3,
    ).toBe(2)
  })
})

test('OBJ: polygons, negative numbers, groups, colours, continued lines, corners with texture and normal', async () => {
  const s =
    '# c\nmtllib a.mtl\no part\nv 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 1 1 0 0 0 1\nv 0 1 0 1 1 1\nvt 0 0\n' +
    'vn 0 0 1\ng one\nusemtl m\ns off\nf -4/1/1 -3//1 \\\n -2/1 -1\nf 1 2 3 # tail\n'
  const mesh = (await read(text(s), 'a.obj')) as TriangleMesh
  expect(Array.from(mesh.indices)).toEqual([0, 1, 2, 0, 2, 3, 0, 1, 2])
  expect(Array.from(mesh.colours!.subarray(0, 3))).toEqual([255, 0, 0])
})

describe('XYZ text', () => {
  test.each([
    ['blanks', '1 2 3\n4 5 6\n'],
    ['tabs', '1\t2\t3\n4\t5\t6'],
    ['commas', '1,2,3\n4, 5,6\n'],
    ['semicolons and decimal commas', '1,0;2,0;3,0\n4,0;5,0;6,0\n'],
    ['comments, a count and column names', '# made by hand\n2\nx y z\n1 2 3\n// between\n4 5 6\n'],
    ['carriage returns', '1 2 3\r\n4 5 6\r\n'],
  ])('%s', async (_name, s) => {
    expect(Array.from((await read(text(s), 'a.txt', 5)).positions)).toEqual([1, 2, 3, 4, 5, 6])
  })
  test('normals are told from colours by their length', async () => {
    const r = seededRandom(2)
    const rows = Array.from({ length: 30 }, () => {
      const n = [r.gaussian(), r.gaussian(), r.gaussian()]
      const l = Math.hypot(...n)
      return [r.next(), r.next(), r.next(), ...n.map((v) => v / l), r.integer(256), r.integer(256), r.integer(256)]
    })
    const normalFirst = (await read(text(rows.map((x) => x.join(' ')).join('\n')), 'a.asc')) as PointCloud
    const colourFirst = (await read(
      text(rows.map((x) => [...x.slice(0, 3), ...x.slice(6), ...x.slice(3, 6)].join(' ')).join('\n')),
      'a.asc',
    )) as PointCloud
    expect(normalFirst.normals![0]).toBeCloseTo(rows[0][3], 5)
    expect(colourFirst.normals).toEqual(normalFirst.normals)
    expect(colourFirst.colours).toEqual(normalFirst.colours)
  })
})

describe('bad input is refused in one sentence that says what, and where', () => {
  const ply = (body: string, vertex = 3, face = 1) =>
    `ply\nformat ascii 1.0\nelement vertex ${vertex}\nproperty float x\nproperty float y\n` +
    `property float z\nelement face ${face}\nproperty list uchar int vertex_indices\nend_header\n${body}`
  test.each<[string, string | Uint8Array, string, RegExp]>([
    ['empty file', '', 'a.ply', /is empty \(0 bytes\)/],
    ['text renamed .ply', 'hello there\n', 'a.ply', /first line is not "ply"/],
    ['unknown kind', 'x', 'a.docx', /is of no kind that can be read.*ply, stl, obj/],
    ['header without end', 'ply\nformat ascii 1.0\n', 'a.ply', /no "end_header"/],
    [
      'header that claims four billion faces',
      ply('0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n', 3, 4294967295),
      'a.ply',
      /claims 4,294,967,295 × face.*cut short or its header is wrong/,
    ],
    [
      'NaN vertex in text',
      ply('0 0 0\nnan 0 0\n0 1 0\n3 0 1 2\n'),
      'a.ply',
      /line 11 has a coordinate that is not a number/,
    ],
    [
      'infinite vertex',
      ply('0 0 0\ninf 0 0\n0 1 0\n3 0 1 2\n'),
      'a.ply',
      /line 11 has a coordinate that is not a number/,
    ],
    ['a vertex beyond all measure', ply('0 0 0\n1e12 0 0\n0 1 0\n3 0 1 2\n'), 'a.ply', /line 11 lies farther out/],
    [
      'face index out of range',
      ply('0 0 0\n1 0 0\n0 1 0\n3 0 1 7\n'),
      'a.ply',
      /line 13 names point 8, but the file has only 3/,
    ],
    ['negative face index', ply('0 0 0\n1 0 0\n0 1 0\n3 0 1 -1\n'), 'a.ply', /line 13 names point -1/],
    ['face with two corners', ply('0 0 0\n1 0 0\n0 1 0\n2 0 1\n'), 'a.ply', /line 13 has 2 corners/],
    ['words where numbers belong', ply('0 0 0\n1 zero 0\n0 1 0\n3 0 1 2\n'), 'a.ply', /Line 11 holds "zero"/],
    ['rows that end early', ply('0 0 0\n1 0\n0 1 0\n3 0 1 2\n'), 'a.ply', /Line 11 has too few numbers/],
    [
      'fewer rows than claimed',
      ply('0 0 0\n1 0 0\n0 1 0\n'),
      'a.ply',
      /claims 1 × face, which needs at least 20 bytes; only 18 follow/,
    ],
    [
      'no points',
      'ply\nformat ascii 1.0\nelement vertex 0\nproperty float x\nproperty float y\nproperty float z\nend_header\n',
      'a.ply',
      /no points/,
    ],
    [
      'points without z',
      'ply\nformat ascii 1.0\nelement vertex 1\nproperty float x\nproperty float y\nend_header\n0 0\n',
      'a.ply',
      /no x, y and z/,
    ],
    [
      'truncated ASCII STL',
      'solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n',
      'a.stl',
      /ends at line 5 before "endsolid"/,
    ],
    [
      'NaN in ASCII STL',
      'solid a\nfacet normal 0 0 1\nouter loop\nvertex 0 x 0\nvertex 1 0 0\nvertex 1 1 0\nendloop\nendfacet\nendsolid\n',
      'a.stl',
      /line 4/,
    ],
    ['too short for STL', 'abc', 'a.stl', /at least 84 bytes; this one has 3/],
    [
      'OBJ index out of range',
      'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n',
      'a.obj',
      /line 4 names point 9, but the file has only 3/,
    ],
    ['OBJ index zero', 'v 0 0 0\nv 1 0 0\nv 0 1 0\nf 0 1 2\n', 'a.obj', /Line 4 names point "0"/],
    ['OBJ NaN', 'v 0 0 0\nv a 0 0\n', 'a.obj', /line 2/],
    ['XYZ with words', 'one two three\nfour\nfive\nsix\n', 'a.xyz', /Line 4 does not begin with three numbers/],
    ['XYZ NaN in the first row', 'nan 0 0\n1 1 1\n', 'a.xyz', /Line 1 does not begin with three numbers|line 1/],
    ['XYZ ragged', '1 2 3 4 5 6\n1 2 3\n', 'a.xyz', /Line 2 has 3 numbers where the first points have 6/],
    ['not glTF at all', 'x'.repeat(40), 'a.glb', /no glTF 2.0 file that can be read/],
  ])('%s', async (_what, content, name, sentence) => {
    const message = await refusal(typeof content === 'string' ? text(content) : content, name)
    expect(message).toMatch(sentence)
    expect(message).not.toMatch(/\n|at Object|undefined/)
  })
  test('truncated binaries, cut at every tenth byte, are refused and never read as something else', async () => {
    const whole = bytesOf(icosahedron(), 'ply')
    const stl = bytesOf(icosahedron(), 'stl')
    for (let cut = 1; cut < whole.length - 1; cut += 10)
      await expect(read(whole.subarray(0, cut), 'a.ply')).rejects.toThrow(/\w/)
    for (let cut = 1; cut < stl.length - 1; cut += 10)
      await expect(read(stl.subarray(0, cut), 'a.stl')).rejects.toThrow(/84 bytes|claims 20 triangles/)
  })
  test('NaN in a binary STL names byte and triangle', async () => {
    const bytes = bytesOf(cube(), 'stl')
    new DataView(bytes.buffer).setFloat32(84 + 50 * 3 + 12, NaN, true)
    expect(await refusal(bytes, 'a.stl')).toMatch(/byte 234 \(triangle 4\)/)
  })
  test('a count that no file size bounds still allocates nothing before the bytes come', async () => {
    const head = text(
      'ply\nformat binary_little_endian 1.0\nelement vertex 4000000000\nproperty float x\nproperty float y\nproperty float z\nend_header\n',
    )
    const stream = {
      chunks: (async function* () {
        yield head
        yield new Uint8Array(30)
      })(),
    }
    await expect(readShape(stream, 'a.ply')).rejects.toThrow(/ends at byte .* in vertex 3 of 4,000,000,000/)
  })
})

test('seeded random files: every cloud written comes back within its own bounds, bit by bit', async () => {
  for (let seed = 1; seed <= 30; seed++) {
    const r = seededRandom(seed)
    const n = 1 + r.integer(200)
    const positions = Float32Array.from({ length: n * 3 }, () => (r.next() - 0.5) * 10 ** r.integer(4))
    const cloud: PointCloud = {
      kind: 'cloud',
      positions,
      ...(r.next() < 0.5 && { colours: Uint8Array.from({ length: n * 3 }, () => r.integer(256)) }),
    }
    const back = await read(bytesOf(cloud, 'ply'), 'a.ply', 1 + r.integer(90))
    expect(back, `seed ${seed}`).toEqual(cloud)
    expect(boundsOf(back.positions)).toEqual(boundsOf(positions))
  }
})

test.each<[Unit, number]>([
  ['mm', 1],
  ['cm', 10],
  ['in', 25.4],
])('released in %s everything is: points, the place far from zero, what the file says of itself', async (unit, mm) => {
  const shape = { ...cube(20), originMm: [10_000, -20_000, 30_000] as const }
  const bytes = Buffer.concat([...writeShapeIn(shape, 'ply', unit)])
  expect(bytes.toString('latin1', 0, 80)).toContain(`comment unit ${unit}\n`)
  const back = (await readShape(bytesSource(new Uint8Array(bytes)), 'a.ply')) as TriangleMesh
  const corner = (s: TriangleMesh): number[] => [0, 1, 2].map((c) => s.positions[c] + (s.originMm?.[c] ?? 0))
  corner(back).forEach((v, c) => expect(v * mm).toBeCloseTo(corner(shape)[c], 2))
})
