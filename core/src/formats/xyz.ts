import { GeometryError } from '../errors'
import type { PointCloud, Shape } from '../shapes'
import { ByteReader, type ByteSource } from './byte-reader'
import { ShapeBuilder, type Told } from './builder'

/** What the columns after x y z mean. */
type Columns = 'none' | 'colour' | 'normal' | 'normal-colour' | 'colour-normal' | 'intensity'

/**
 * Points as text, one a line: x y z, then colours and/or normals. Separators: blank, tab, comma or semicolon (a decimal
 * comma is understood where semicolons or tabs separate). Comments begin with # or //; a first line that holds only a
 * count, or names, is skipped.
 * Which columns are normals is judged on the first 200 rows: three numbers of length one.
 */
export async function readXyz(source: ByteSource, told?: Told): Promise<PointCloud> {
  const reader = new ByteReader(source)
  const builder = new ShapeBuilder(told)
  let columns: Columns | undefined
  let pending: { row: number[]; line: number }[] = []
  const add = (row: number[], line: number): void => {
    builder.point(row[0], row[1], row[2], () => `line ${line}`)
    const normalAt = columns === 'normal' || columns === 'normal-colour' ? 3 : columns === 'colour-normal' ? 6 : -1
    const colourAt = columns === 'colour' || columns === 'colour-normal' ? 3 : columns === 'normal-colour' ? 6 : -1
    if (normalAt > 0) builder.normal(row[normalAt], row[normalAt + 1], row[normalAt + 2])
    if (colourAt > 0) builder.colour(row[colourAt], row[colourAt + 1], row[colourAt + 2])
    if (columns === 'intensity') builder.confidence(row[3])
  }
  const settle = (): void => {
    columns = judgeColumns(pending.map((p) => p.row))
    for (const p of pending) add(p.row, p.line)
    pending = []
  }
  let width = 0
  try {
    for (let batch = await reader.readLines(); batch; batch = await reader.readLines()) {
      for (let i = 0; i < batch.lines.length; i++) {
        const line = batch.lines[i].trim()
        const place = batch.first + i
        if (line === '' || line.startsWith('#') || line.startsWith('//')) continue
        const row = splitNumbers(line)
        if (width === 0 && (row.length < 3 || row.slice(0, 3).some(Number.isNaN))) {
          // A count or a line of column names before the first point.
          if (place <= 3 && (row.length === 1 || (/^["A-Za-z_]/.test(line) && !/^(nan|inf)/i.test(line)))) continue
          throw new GeometryError('FORMAT', `Line ${place} does not begin with three numbers: "${line.slice(0, 40)}".`)
        }
        if (width === 0) width = row.length
        if (row.length < width || row.slice(0, width).some((v, c) => Number.isNaN(v) && c > 2))
          throw new GeometryError(
            'FORMAT',
            `Line ${place} has ${row.length} numbers where the first points have ${width}.`,
          )
        if (columns) add(row, place)
        else {
          pending.push({ row, line: place })
          if (pending.length === 200) settle()
        }
      }
    }
    if (!columns) settle()
    return builder.finish() as PointCloud
  } finally {
    await reader.close()
  }
}

function splitNumbers(line: string): number[] {
  const hard = line.includes(';') || line.includes('\t')
  const words = hard ? line.split(/[;\t]\s*|\s+/) : line.split(/\s*,\s*|\s+/)
  return words
    .filter((w) => w !== '')
    .map((w) => Number(hard && w.includes(',') && !w.includes('.') ? w.replace(',', '.') : w))
}

function judgeColumns(rows: number[][]): Columns {
  const width = rows[0]?.length ?? 3
  const unit = (at: number): boolean =>
    rows.filter((r) => Math.abs(Math.hypot(r[at], r[at + 1], r[at + 2]) - 1) < 0.01).length > rows.length * 0.9
  if (width >= 9) return unit(3) ? 'normal-colour' : unit(6) ? 'colour-normal' : 'colour'
  if (width >= 6) return unit(3) ? 'normal' : 'colour'
  return width >= 4 ? 'intensity' : 'none'
}

/** x y z, then nx ny nz and r g b where the cloud has them. */
export function* writeXyz(cloud: Shape): Generator<Uint8Array<ArrayBuffer>> {
  const [ox, oy, oz] = cloud.originMm ?? [0, 0, 0]
  const n = cloud.positions.length / 3
  const number = (v: number): string => String(Number(v.toPrecision(9)))
  for (let from = 0; from < n; from += 4096) {
    let text = ''
    for (let i = from; i < Math.min(n, from + 4096); i++) {
      text +=
        `${number(cloud.positions[i * 3] + ox)} ${number(cloud.positions[i * 3 + 1] + oy)} ` +
        `${number(cloud.positions[i * 3 + 2] + oz)}`
      if (cloud.normals) for (let c = 0; c < 3; c++) text += ` ${number(cloud.normals[i * 3 + c])}`
      if (cloud.colours) for (let c = 0; c < 3; c++) text += ` ${cloud.colours[i * 3 + c]}`
      text += '\n'
    }
    yield new TextEncoder().encode(text)
  }
}
