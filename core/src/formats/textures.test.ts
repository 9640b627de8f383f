import { Document, NodeIO } from '@gltf-transform/core'
import { strToU8, unzipSync, zipSync } from 'fflate'
import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { texelAt } from '../pictures'
import type { TriangleMesh } from '../shapes'
import { edgeTopology } from '../mesh/topology'
import { quietContext } from '../context'
import { cube } from '../testing/solids'
import { unwrap } from '../unwrap/unwrap'
import { bytesSource, decodeWith, readShape, writeFilesIn, zipped } from './index'

/*
 * Pictures are encoded and decoded by sharp (libvips), glTF is written by glTF Transform, and what comes in is held
 * against what those say.
 */

const decode = decodeWith(sharp)

/** Four squares of a colour each: red and green above, blue and white below. */
const SIDE = 32
let png: Uint8Array<ArrayBuffer>
let jpeg: Uint8Array<ArrayBuffer>
beforeAll(async () => {
  const raw = Buffer.alloc(SIDE * SIDE * 3)
  const of = [[255, 0, 0], [0, 255, 0], [0, 0, 255], [255, 255, 255]] // prettier-ignore
  for (let y = 0; y < SIDE; y++)
    for (let x = 0; x < SIDE; x++) raw.set(of[(y < SIDE / 2 ? 0 : 2) + (x < SIDE / 2 ? 0 : 1)], (y * SIDE + x) * 3)
  const picture = sharp(raw, { raw: { width: SIDE, height: SIDE, channels: 3 } })
  png = Uint8Array.from(await picture.clone().png().toBuffer())
  jpeg = Uint8Array.from(await picture.clone().jpeg({ quality: 95, chromaSubsampling: '4:4:4' }).toBuffer())
})
const read = async (
  bytes: Uint8Array,
  name: string,
  files: Record<string, Uint8Array<ArrayBuffer>> = {},
): Promise<{ mesh: TriangleMesh; left: string[] }> => {
  const left: string[] = []
  const mesh = (await readShape(bytesSource(bytes), name, (what, n) => void left.push(`${n} ${what}`), {
    find: (file) => Promise.resolve(files[file] ?? null),
    decode,
  })) as TriangleMesh
  return { mesh, left }
}
const colours = ({ colours: c }: TriangleMesh): string[] =>
  Array.from({ length: c!.length / 3 }, (_, i) => [...c!.subarray(i * 3, i * 3 + 3)].join(' '))

/** A square of two triangles whose corners stand in the middle of the picture's four squares, from below left round. */
const UV_UP = [[0.25, 0.25], [0.75, 0.25], [0.75, 0.75], [0.25, 0.75]] // prettier-ignore
const WANTED = ['0 0 255', '255 255 255', '0 255 0', '255 0 0']
const obj = (library = 'lamp.mtl') =>
  strToU8(
    [
      `mtllib ${library}`,
      'v 0 0 0',
      'v 10 0 0',
      'v 10 10 0',
      'v 0 10 0',
      ...UV_UP.map(([u, v]) => `vt ${u} ${v}`),
      'usemtl glaze',
      'f 1/1 2/2 3/3 4/4',
      'usemtl bare',
      'f -4 -3 -1',
      '',
    ].join('\n'),
  ) as Uint8Array<ArrayBuffer>

describe('OBJ with its list of materials', () => {
  const mtl = (map: string) => strToU8(`newmtl glaze\n${map}\nnewmtl bare\nKd 1 1 1\n`) as Uint8Array<ArrayBuffer>
  test.each([
    ['map_Kd lamp.png', 'lamp.png'],
    ['map_Kd -blendu on -clamp off C:\\scans\\my lamp.png', 'my lamp.png'],
  ])('%s: colours stand where the picture has them, and go on with the corners', async (map, file) => {
    const { mesh, left } = await read(obj(), 'lamp.obj', { 'lamp.mtl': mtl(map), [file]: png })
    expect(left).toEqual([])
    expect(mesh.pictures).toEqual([{ mime: 'image/png', bytes: png }])
    expect([...mesh.picture!]).toEqual([1, 1, 0])
    expect(colours(mesh)).toEqual(WANTED)
    expect(mesh.uvs).toHaveLength(18)
  })
  test('what did not come with it is told by name, and the shape comes in', async () => {
    const none = await read(obj(), 'lamp.obj')
    expect(none.left).toEqual(['1 list of materials, which did not come with it (“lamp.mtl”)'])
    expect(none.mesh).toMatchObject({ kind: 'mesh' })
    expect(none.mesh.pictures).toBeUndefined()
    const half = await read(obj(), 'lamp.obj', { 'lamp.mtl': mtl('map_Kd far/away/lamp.png') })
    expect(half.left).toEqual(['1 picture that did not come with it or can’t be read (“lamp.png”)'])
  })
  test('a picture that breaks off is told, and the shape comes in without it', async () => {
    const { mesh, left } = await read(obj(), 'lamp.obj', {
      'lamp.mtl': mtl('map_Kd lamp.jpg'),
      'lamp.jpg': jpeg.slice(0, jpeg.length - 60),
    })
    expect(left).toHaveLength(1)
    expect(left[0]).toMatch(/^1 pictures, since one of them is broken \(One of its pictures .*\)$/)
    expect(mesh.kind).toBe('mesh')
    expect([mesh.colours, mesh.uvs, mesh.picture, mesh.pictures]).toEqual([undefined, undefined, undefined, undefined])
  })
})

describe('glTF', () => {
  /** A square whose corners are written twice, as one is whose faces meet at a seam. */
  async function square(seam: boolean, mime: 'image/png' | 'image/jpeg', separate = false) {
    const document = new Document()
    const buffer = document.createBuffer()
    const accessor = (type: 'VEC2' | 'VEC3', a: number[]) =>
      document.createAccessor().setType(type).setArray(Float32Array.from(a)).setBuffer(buffer)
    const at = [[0, 0, 0], [0.01, 0, 0], [0.01, 0, -0.01], [0, 0, -0.01]] // prettier-ignore
    const order = seam ? [0, 1, 2, 0, 2, 3] : [0, 1, 2, 3]
    const texture = document
      .createTexture('lamp')
      .setMimeType(mime)
      .setImage(mime === 'image/png' ? png : jpeg)
    if (separate) texture.setURI('lamp.png')
    const primitive = document
      .createPrimitive()
      .setMaterial(document.createMaterial().setBaseColorTexture(texture))
      .setAttribute(
        'POSITION',
        accessor(
          'VEC3',
          order.flatMap((i) => at[i]),
        ),
      )
      .setAttribute(
        'TEXCOORD_0',
        accessor(
          'VEC2',
          order.flatMap((i) => [UV_UP[i][0], 1 - UV_UP[i][1]]),
        ),
      )
      .setIndices(
        document
          .createAccessor()
          .setType('SCALAR')
          .setArray(new Uint16Array(seam ? [0, 1, 2, 3, 4, 5] : [0, 1, 2, 0, 2, 3]))
          .setBuffer(buffer),
      )
    document.createScene().addChild(document.createNode().setMesh(document.createMesh().addPrimitive(primitive)))
    return document
  }
  test('binary, its picture inside: colours as the encoder had them, and no edge is torn at the seam', async () => {
    const { mesh, left } = await read(await new NodeIO().writeBinary(await square(true, 'image/png')), 'lamp.glb')
    expect(left).toEqual([])
    expect(colours(mesh)).toEqual(WANTED)
    expect(mesh.positions).toHaveLength(12)
    const { twin } = edgeTopology(mesh)
    expect(twin.filter((t) => t === -1)).toHaveLength(4)
    expect(mesh.pictures![0]).toEqual({ mime: 'image/png', bytes: png })
  })
  test('JPEG is as near as JPEG is', async () => {
    const { mesh } = await read(await new NodeIO().writeBinary(await square(false, 'image/jpeg')), 'lamp.glb')
    const truth = WANTED.flatMap((w) => w.split(' ').map(Number))
    mesh.colours!.forEach((v, i) => expect(Math.abs(v - truth[i])).toBeLessThan(6))
  })
  test('text with its points and its picture in files beside it; without the points it says which file it wants', async () => {
    const { json, resources } = await new NodeIO().writeJSON(await square(false, 'image/png', true))
    const files = Object.fromEntries(Object.entries(resources).map(([k, v]) => [k, Uint8Array.from(v)]))
    const text = strToU8(JSON.stringify(json))
    const { mesh, left } = await read(text, 'lamp.gltf', files)
    expect(left).toEqual([])
    expect(colours(mesh)).toEqual(WANTED)
    const bin = Object.keys(files).find((k) => k.endsWith('.bin'))!
    await expect(read(text, 'lamp.gltf', { 'lamp.png': png })).rejects.toThrow(`“${bin}”, which did not come with it`)
    const bare = await read(text, 'lamp.gltf', { [bin]: files[bin] })
    expect(bare.left).toEqual(['1 picture that did not come with it or can’t be read (“lamp.png”)'])
  })
  test('a shift of the picture is followed: scaled, turned, shifted (KHR_texture_transform, its example of a turn)', async () => {
    const { json, resources } = await new NodeIO().writeJSON(await square(false, 'image/png', true))
    const info = json.materials![0].pbrMetallicRoughness!.baseColorTexture as { extensions?: object }
    const files = Object.fromEntries(Object.entries(resources).map(([k, v]) => [k, Uint8Array.from(v)]))
    const as = async (transform: object): Promise<string[]> => {
      info.extensions = { KHR_texture_transform: transform }
      return colours((await read(strToU8(JSON.stringify(json)), 'lamp.gltf', files)).mesh)
    }
    // Half a picture to the right: what was left is right, and beyond the edge it repeats.
    expect(await as({ offset: [0.5, 0] })).toEqual([WANTED[1], WANTED[0], WANTED[3], WANTED[2]])
    // A quarter turn of the places, counter-clockwise as seen, about the upper left corner.
    expect(await as({ rotation: Math.PI / 2, offset: [0, 1] })).toEqual([WANTED[1], WANTED[2], WANTED[3], WANTED[0]])
  })
  test('a picture that reaches past the end of the file is refused', async () => {
    const glb = await new NodeIO().writeBinary(await square(false, 'image/png'))
    const length = new DataView(glb.buffer, glb.byteOffset).getUint32(12, true)
    const text = new TextDecoder().decode(glb.subarray(20, 20 + length))
    const view = (JSON.parse(text) as { images: { bufferView: number }[] }).images[0].bufferView
    const wrong = text.replace(/"bufferViews":\[.*?\]/s, (list) => {
      const views = JSON.parse(list.slice(14)) as { byteLength: number }[]
      views[view].byteLength = 9_000_000
      return `"bufferViews":${JSON.stringify(views)}`
    })
    const head = new TextEncoder().encode(wrong)
    const padded = new Uint8Array(Math.ceil(head.length / 4) * 4).fill(0x20)
    padded.set(head)
    const out = new Uint8Array(20 + padded.length + glb.length - 20 - length)
    out.set(glb.subarray(0, 20))
    out.set(padded, 20)
    out.set(glb.subarray(20 + length), 20 + padded.length)
    new DataView(out.buffer).setUint32(8, out.length, true)
    new DataView(out.buffer).setUint32(12, padded.length, true)
    await expect(read(out, 'lamp.glb')).rejects.toThrow('reaches past the end of the file')
  })
})

test('3MF: a picture by its group of places, triangles that say nothing have what their object has', async () => {
  const model = `<?xml version="1.0"?><model unit="millimeter" xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"
 xmlns:m="http://schemas.microsoft.com/3dmanufacturing/material/2015/02"><resources>
 <m:texture2d id="1" path="/3D/Textures/lamp.png" contenttype="image/png"/>
 <m:texture2dgroup id="2" texid="1">${UV_UP.map(([u, v]) => `<m:tex2coord u="${u}" v="${v}"/>`).join('')}</m:texture2dgroup>
 <object id="3" type="model" pid="2" pindex="1"><mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="10" y="0" z="0"/>
 <vertex x="10" y="10" z="0"/><vertex x="0" y="10" z="0"/><vertex x="5" y="5" z="9"/></vertices><triangles>
 <triangle v1="0" v2="1" v3="2" pid="2" p1="0" p2="1" p3="2"/><triangle v1="0" v2="2" v3="3" p1="0" p2="2" p3="3"/>
 <triangle v1="4" v2="4" v3="4"/></triangles></mesh></object></resources><build><item objectid="3"/></build></model>`
  const archive = zipSync({ '3D/3dmodel.model': strToU8(model), '3D/Textures/lamp.png': png })
  const { mesh, left } = await read(archive, 'lamp.3mf')
  expect(left).toEqual([])
  expect(colours(mesh)).toEqual([...WANTED, WANTED[1]])
  const without = await read(zipSync({ '3D/3dmodel.model': strToU8(model) }), 'lamp.3mf')
  expect(without.left).toEqual(['1 picture that did not come with it or can’t be read (“lamp.png”)'])
})

test('between texels colours are mixed, and beyond the edge the picture repeats', () => {
  const pixels = { width: 2, height: 1, rgb: Uint8Array.from([0, 0, 0, 200, 100, 50]) }
  const at = (u: number) => {
    const out = new Uint8Array(3)
    texelAt(pixels, u, 0.5, out, 0)
    return [...out]
  }
  expect(at(0.25)).toEqual([0, 0, 0])
  expect(at(0.75)).toEqual([200, 100, 50])
  expect(at(0.5)).toEqual([100, 50, 25])
  expect(at(0)).toEqual([100, 50, 25])
  expect(at(-0.75)).toEqual([0, 0, 0])
  expect(at(7.75)).toEqual([200, 100, 50])
})

describe('an OBJ with its picture', () => {
  const laid = (): TriangleMesh => {
    const { mesh } = unwrap(cube(10), { sheetPx: 256 }, quietContext())
    const picture = new Uint16Array(mesh.indices.length / 3).fill(1)
    // One face is left plain.
    picture[4] = 0
    return { ...mesh, picture, pictures: [{ mime: 'image/png', bytes: png }] }
  }
  const whole = (chunks: Iterable<Uint8Array<ArrayBuffer>>): Uint8Array<ArrayBuffer> =>
    Uint8Array.from(Buffer.concat([...chunks]))

  test('leaves as three files that name each other, and comes back as it was, in the unit asked for', async () => {
    const mesh = laid()
    const files = writeFilesIn(mesh, 'obj', 'cm', 'cube-cm')
    expect(files.map((f) => f.name)).toEqual(['cube-cm.obj', 'cube-cm.mtl', 'cube-cm-1.png'])
    const [bytes, library, picture] = files.map((f) => whole(f.chunks))
    expect(Buffer.from(picture).equals(Buffer.from(png))).toBe(true)
    const { mesh: back } = await read(bytes, 'cube-cm.obj', { 'cube-cm.mtl': library, 'cube-cm-1.png': picture })
    expect(back.indices).toHaveLength(mesh.indices.length)
    expect(Math.max(...back.positions) - Math.min(...back.positions)).toBeCloseTo(1, 5)
    // The corners of a face lie at the same places of the picture, whatever the order of the faces.
    const corners = ({ indices, uvs, picture: of }: TriangleMesh): string[] =>
      Array.from({ length: indices.length / 3 }, (_, f) =>
        of![f] === 0 ? 'plain' : [...uvs!.subarray(f * 6, f * 6 + 6)].map((v) => v.toFixed(5)).join(' '),
      ).sort()
    expect(corners(back)).toEqual(corners(mesh))
    expect(corners(back).filter((c) => c === 'plain')).toHaveLength(1)
  })

  test('as one archive, read by a general-purpose unpacker, it is the same files', () => {
    const files = writeFilesIn(laid(), 'obj', 'mm', 'cube-mm')
    const unpacked = unzipSync(whole(zipped(files)))
    expect(Object.keys(unpacked)).toEqual(files.map((f) => f.name))
    for (const { name, chunks } of writeFilesIn(laid(), 'obj', 'mm', 'cube-mm'))
      expect(Buffer.from(unpacked[name]).equals(Buffer.from(whole(chunks))), name).toBe(true)
  })

  test('without a picture it is one file, as ever', () => {
    expect(writeFilesIn(cube(10), 'obj', 'mm', 'cube').map((f) => f.name)).toEqual(['cube.obj'])
  })
})
