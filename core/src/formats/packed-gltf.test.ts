import { NodeIO, type Document } from '@gltf-transform/core'
import { EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization } from '@gltf-transform/extensions'
import { draco, meshopt } from '@gltf-transform/functions'
import dracoCodec from 'draco3dgltf'
import { MeshoptEncoder } from 'meshoptimizer'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { compareShapes } from '../measure/compare'
import type { TriangleMesh } from '../shapes'
import { torus } from '../testing/solids'
import { bytesSource, readShape } from './index'

const EXTENSIONS = [EXTMeshoptCompression, KHRDracoMeshCompression, KHRMeshQuantization]
const ring = torus(30, 9, 80, 50)

/** The ring as another program would write it: metres, Y up. */
async function written(pack: (document: Document) => Promise<unknown>): Promise<Uint8Array> {
  const { Document: Doc } = await import('@gltf-transform/core')
  const document = new Doc()
  const buffer = document.createBuffer()
  const p = ring.positions
  const metres = Float32Array.from({ length: p.length }, (_, i) => {
    const at = i - (i % 3)
    return [p[at], p[at + 2], -p[at + 1]][i % 3] / 1000
  })
  const primitive = document
    .createPrimitive()
    .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(metres).setBuffer(buffer))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(new Uint32Array(ring.indices)).setBuffer(buffer))
  const node = document.createNode().setMesh(document.createMesh().addPrimitive(primitive))
  document.createScene().addChild(node)
  await pack(document)
  await MeshoptEncoder.ready
  const io = new NodeIO().registerExtensions(EXTENSIONS).registerDependencies({
    'draco3d.encoder': await dracoCodec.createEncoderModule(),
    'meshopt.encoder': MeshoptEncoder,
  })
  return io.writeBinary(document)
}

describe('glTF that was packed by the codecs’ own encoders', () => {
  test.each([
    ['meshopt', (d: Document) => d.transform(meshopt({ encoder: MeshoptEncoder, level: 'medium' }))],
    ['draco', (d: Document) => d.transform(draco())],
  ])('%s: the same surface, within its own rounding', async (_name, pack) => {
    const plain = await written(() => Promise.resolve())
    const packed = await written(pack)
    expect(packed.length).toBeLessThan(plain.length / 2)
    const read = (await readShape(bytesSource(packed), 'ring.glb')) as TriangleMesh
    expect(read.indices.length).toBe(ring.indices.length)
    const { maxMm } = compareShapes(read, ring, quietContext(1))
    // 14 bits over 78 mm.
    expect(maxMm).toBeLessThan(0.02)
  })
  test('a claim to unpack to what no file of its size holds is refused before anything is allocated', async () => {
    const packed = await written((d) => d.transform(meshopt({ encoder: MeshoptEncoder, level: 'medium' })))
    const view = new DataView(packed.buffer, packed.byteOffset)
    const length = view.getUint32(12, true)
    const json = new TextDecoder().decode(packed.subarray(20, 20 + length))
    // As many digits as there were, so that the file keeps its layout.
    const lied = json.replace(/"count":(\d+)/g, (_m, n: string) => `"count":${'9'.repeat(n.length)}`)
    expect(lied).not.toBe(json)
    const out = packed.slice()
    out.set(new TextEncoder().encode(lied), 20)
    await expect(readShape(bytesSource(out), 'ring.glb')).rejects.toThrow(
      /claims \d+ values, more than a file of|is no glTF 2\.0 file|can hold/,
    )
    // Six digits more than there were bytes for.
    const huge = json.replace(/"byteStride":(\d+)/, '"byteStride":1e9').padEnd(length)
    const far = new Uint8Array(packed.length + huge.length - length)
    far.set(packed.subarray(0, 20))
    far.set(new TextEncoder().encode(huge), 20)
    far.set(packed.subarray(20 + length), 20 + huge.length)
    new DataView(far.buffer).setUint32(12, huge.length, true)
    await expect(readShape(bytesSource(far), 'ring.glb')).rejects.toThrow(
      'claims to unpack to more than a file of its size can hold',
    )
  })
})
