import { splitAtSeams } from '../mesh/split-at-seams'
import type { Picture, Shape } from '../shapes'

/** One of several files that belong together. */
export interface NamedFile {
  readonly name: string
  readonly chunks: Iterable<Uint8Array<ArrayBuffer>>
}

const ROWS = 4096
const encoder = new TextEncoder()
const encode = (text: string): Uint8Array<ArrayBuffer> => encoder.encode(text)
// Nine digits carry a Float32 exactly.
const number = (v: number): string => String(Number(v.toPrecision(9)))

/**
 * Wavefront OBJ as text, mm, one line a point and a face, in chunks.
 * @param library name of the file that tells its materials; left out, places in pictures are, too
 */
export function* writeObj(shape: Shape, library?: string): Generator<Uint8Array<ArrayBuffer>> {
  const [ox, oy, oz] = shape.originMm ?? [0, 0, 0]
  yield encode('# Holosoma\n')
  if (library !== undefined) yield encode(`mtllib ${library}\n`)
  yield* lines(shape.positions.length / 3, (i) => {
    let line =
      `v ${number(shape.positions[i * 3] + ox)} ${number(shape.positions[i * 3 + 1] + oy)} ` +
      number(shape.positions[i * 3 + 2] + oz)
    if (shape.colours) for (let c = 0; c < 3; c++) line += ` ${number(shape.colours[i * 3 + c] / 255)}`
    return line
  })
  if (shape.kind !== 'mesh') return
  const { indices, picture } = shape
  const laid = library !== undefined && shape.uvs && picture ? splitAtSeams(shape, shape.uvs) : null
  if (!laid || !picture) {
    yield* lines(indices.length / 3, (f) => `f ${[0, 1, 2].map((c) => indices[f * 3 + c] + 1).join(' ')}`)
    return
  }
  // Up from the lower edge here, down from the upper one in a shape.
  yield* lines(laid.uvs.length / 2, (i) => `vt ${number(laid.uvs[i * 2])} ${number(1 - laid.uvs[i * 2 + 1])}`)
  let now = -1
  yield* lines(indices.length / 3, (f) => {
    const begins = picture[f] === now ? '' : `usemtl ${materialName(picture[f])}\n`
    now = picture[f]
    const corner = (c: number): string => {
      const point = indices[f * 3 + c] + 1
      return now === 0 ? `${point}` : `${point}/${laid.mesh.indices[f * 3 + c] + 1}`
    }
    return `${begins}f ${corner(0)} ${corner(1)} ${corner(2)}`
  })
}

/** A textured mesh as an OBJ, its materials and its pictures. */
export function objFiles(shape: Shape, name: string): NamedFile[] {
  const pictures = shape.kind === 'mesh' && shape.uvs && shape.picture ? (shape.pictures ?? []) : []
  if (pictures.length === 0) return [{ name: `${name}.obj`, chunks: writeObj(shape) }]
  const pictureName = (p: Picture, i: number): string => `${name}-${i + 1}.${p.mime === 'image/png' ? 'png' : 'jpg'}`
  // Kd of one: the picture's own colours (Wavefront, Advanced Visualizer manual, appendix B5).
  const library = pictures.map((p, i) => `newmtl ${materialName(i + 1)}\nKd 1 1 1\nmap_Kd ${pictureName(p, i)}\n`)
  return [
    { name: `${name}.obj`, chunks: writeObj(shape, `${name}.mtl`) },
    {
      name: `${name}.mtl`,
      chunks: [encode(`# Holosoma\nnewmtl ${materialName(0)}\nKd 0.8 0.8 0.8\n${library.join('')}`)],
    },
    ...pictures.map((p, i) => ({ name: pictureName(p, i), chunks: [p.bytes as Uint8Array<ArrayBuffer>] })),
  ]
}

const materialName = (picture: number): string => (picture === 0 ? 'plain' : `picture${picture}`)

function* lines(count: number, line: (i: number) => string): Generator<Uint8Array<ArrayBuffer>> {
  for (let from = 0; from < count; from += ROWS) {
    const some: string[] = []
    for (let i = from; i < Math.min(count, from + ROWS); i++) some.push(line(i))
    yield encode(`${some.join('\n')}\n`)
  }
}
