import { faceCross } from '../linear/face-cross'
import { GeometryError } from '../errors'
import type { TriangleMesh } from '../shapes'
import { weldVertices } from '../mesh/weld'
import { ByteReader, type ByteSource } from './byte-reader'
import { ShapeBuilder, type Told } from './builder'

/**
 * STL, binary (80-byte head, count, 50 bytes a triangle) and ASCII. De facto specification: the StereoLithography
 * Interface Specification, 1988. Which one it is, is judged by size and content, since a binary file may begin with
 * "solid".
 */
export async function readStl(source: ByteSource, told?: Told): Promise<TriangleMesh> {
  const reader = new ByteReader(source)
  try {
    await reader.ensure(84)
    if (reader.available === 0) throw new GeometryError('EMPTY', 'The file is empty.')
    const head = new TextDecoder('latin1').decode(Uint8Array.from(reader.bytes.subarray(0, 512)))
    const count = reader.available >= 84 ? reader.view().getUint32(reader.at + 80, true) : 0
    const exact = reader.available >= 84 && source.sizeBytes === 84 + 50 * count
    const looksAscii = /^\s*solid\b/.test(head) && (await looksLikeText(reader))
    return weldVertices(exact || !looksAscii ? await readBinary(reader, count, told) : await readAscii(reader, told))
  } finally {
    await reader.close()
  }
}

async function looksLikeText(reader: ByteReader): Promise<boolean> {
  await reader.ensure(400)
  const n = Math.min(400, reader.available)
  for (let i = 0; i < n; i++) {
    const b = reader.bytes[reader.at + i]
    if (b === 0 || (b < 32 && b !== 9 && b !== 10 && b !== 13)) return false
  }
  return true
}

async function readBinary(reader: ByteReader, count: number, told?: Told): Promise<TriangleMesh> {
  const size = reader.source.sizeBytes
  if (reader.available < 84)
    throw new GeometryError('TRUNCATED', `An STL file has at least 84 bytes; this one has ${reader.available}.`)
  if (size !== undefined && 84 + 50 * count > size) {
    throw new GeometryError(
      'TRUNCATED',
      `The header claims ${count.toLocaleString('en')} triangles ` +
        `(${(84 + 50 * count).toLocaleString('en')} bytes), but the file has ` +
        `${size.toLocaleString('en')} bytes. It is cut short or not an STL file.`,
    )
  }
  if (count === 0) throw new GeometryError('EMPTY', 'The STL file holds no triangles.')
  reader.at += 84
  const builder = new ShapeBuilder(told)
  for (let i = 0; i < count;) {
    if (!(await reader.ensure(50)))
      throw new GeometryError(
        'TRUNCATED',
        `The file ends in triangle ${(i + 1).toLocaleString('en')} of ${count.toLocaleString('en')}.`,
      )
    const view = reader.view()
    const here = Math.min(count - i, Math.floor(reader.available / 50))
    for (let k = 0; k < here; k++, i++) {
      for (let v = 0; v < 3; v++) {
        const at = reader.at + 12 + v * 12
        builder.point(
          view.getFloat32(at, true),
          view.getFloat32(at + 4, true),
          view.getFloat32(at + 8, true),
          () => `byte ${reader.offset.toLocaleString('en')} (triangle ${(i + 1).toLocaleString('en')})`,
        )
      }
      builder.triangle(i * 3, i * 3 + 1, i * 3 + 2)
      reader.at += 50
    }
  }
  if (await reader.ensure(1))
    builder.leaveOut('bytes after the last triangle', size === undefined ? reader.available : size - reader.offset)
  return builder.finish() as TriangleMesh
}

async function readAscii(reader: ByteReader, told?: Told): Promise<TriangleMesh> {
  const builder = new ShapeBuilder(told)
  let inLoop = 0
  let ended = false
  for (let batch = await reader.readLines(); batch; batch = await reader.readLines()) {
    for (let i = 0; i < batch.lines.length; i++) {
      const line = batch.lines[i].trim()
      const where = (): string => `line ${batch.first + i}`
      if (line.startsWith('vertex')) {
        const words = line.split(/\s+/)
        const [x, y, z] = [Number(words[1]), Number(words[2]), Number(words[3])]
        if (words.length < 4)
          throw new GeometryError('FORMAT', `Line ${batch.first + i} is a vertex without three numbers.`)
        builder.point(x, y, z, where)
        if (++inLoop === 3) {
          const n = builder.pointCount
          builder.triangle(n - 3, n - 2, n - 1)
        } else if (inLoop > 3)
          throw new GeometryError('FORMAT', `The facet at ${where()} has more than three vertices.`)
      } else if (line.startsWith('endloop')) {
        if (inLoop !== 3)
          throw new GeometryError('FORMAT', `The facet that ends at ${where()} has ${inLoop} vertices instead of 3.`)
        inLoop = 0
      } else if (line.startsWith('endsolid')) ended = true
    }
  }
  if (!ended || inLoop !== 0)
    throw new GeometryError('TRUNCATED', `The file ends at line ${reader.line} before "endsolid".`)
  return builder.finish() as TriangleMesh
}

/** Binary STL in chunks of whole triangles; 84 + 50·F bytes. */
export function* writeStl(mesh: TriangleMesh): Generator<Uint8Array<ArrayBuffer>> {
  const faces = mesh.indices.length / 3
  const head = new DataView(new ArrayBuffer(84))
  // Not "solid": some readers take that for ASCII.
  new TextEncoder().encodeInto('Holosoma binary STL, unit as exported', new Uint8Array(head.buffer))
  head.setUint32(80, faces, true)
  yield new Uint8Array(head.buffer)
  const { positions: p, indices } = mesh
  const [ox, oy, oz] = mesh.originMm ?? [0, 0, 0]
  const rows = 8192
  for (let from = 0; from < faces; from += rows) {
    const to = Math.min(faces, from + rows)
    const view = new DataView(new ArrayBuffer((to - from) * 50))
    const cross = new Float64Array(3)
    for (let f = from, at = 0; f < to; f++, at += 50) {
      const a = indices[f * 3] * 3,
        b = indices[f * 3 + 1] * 3,
        c = indices[f * 3 + 2] * 3
      const l = faceCross(p, a, b, c, cross) || 1
      for (let k = 0; k < 3; k++) view.setFloat32(at + 4 * k, cross[k] / l, true)
      let to12 = at + 12
      for (const v of [a, b, c]) {
        view.setFloat32(to12, p[v] + ox, true)
        view.setFloat32(to12 + 4, p[v + 1] + oy, true)
        view.setFloat32(to12 + 8, p[v + 2] + oz, true)
        to12 += 12
      }
    }
    yield new Uint8Array(view.buffer)
  }
}
