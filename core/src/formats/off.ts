import { GeometryError } from '../errors'
import type { Shape } from '../shapes'
import { ByteReader, type ByteSource } from './byte-reader'
import { ShapeBuilder, type Told } from './builder'

/**
 * Object File Format, text: OFF, COFF (colours) and NOFF (normals) headers or none, points, polygons with or without
 * colours of their own.
 * Source: the Geometry Center's format description, Princeton Shape Benchmark.
 */
export async function readOff(source: ByteSource, told?: Told): Promise<Shape> {
  const reader = new ByteReader(source)
  const builder = new ShapeBuilder(told)
  let line = 0
  const next = async (): Promise<number[] | string | null> => {
    for (;;) {
      const text = await reader.readLine()
      if (text === null) return null
      line++
      const hash = text.indexOf('#')
      const clean = (hash >= 0 ? text.slice(0, hash) : text).trim()
      if (clean === '') continue
      return /^[A-Za-z]/.test(clean) ? clean : clean.split(/\s+/).map(Number)
    }
  }
  try {
    let head = await next()
    let colours = false,
      normals = false
    if (typeof head === 'string') {
      const [word = '', ...rest] = head.split(/\s+/)
      if (!/^(ST)?C?N?4?n?OFF$/.test(word) || /[4n]/.test(word.replace('OFF', '')))
        throw new GeometryError(
          'FORMAT',
          `This is no OFF file that can be read: it begins with "${head.slice(0, 20)}".`,
        )
      colours = word.includes('C')
      normals = word.replace('OFF', '').includes('N')
      // Counts may stand on the first line.
      head = rest.length >= 2 ? rest.map(Number) : await next()
    }
    if (!Array.isArray(head) || head.length < 2 || !head.slice(0, 2).every((v) => Number.isInteger(v) && v >= 0))
      throw new GeometryError('FORMAT', `Line ${line} should hold the counts of points and faces.`)
    const [points, faces] = head as [number, number]
    // A point takes six bytes at least, a face eight.
    if (source.sizeBytes !== undefined && points * 6 + faces * 8 > source.sizeBytes + 64)
      throw new GeometryError(
        'RANGE',
        `The header claims ${points} points and ${faces} faces, more than a file of ` +
          `${source.sizeBytes} bytes can hold.`,
      )
    const wanted = 3 + (normals ? 3 : 0)
    for (let i = 0; i < points; i++) {
      const row = await next()
      if (row === null) throw new GeometryError('TRUNCATED', `The file ends after ${i} of ${points} points.`)
      if (!Array.isArray(row) || row.length < wanted)
        throw new GeometryError('FORMAT', `Line ${line} should hold a point of ${wanted} numbers.`)
      builder.point(row[0], row[1], row[2], () => `line ${line}`)
      if (normals) builder.normal(row[3], row[4], row[5])
      if (colours && row.length >= wanted + 3) builder.colour(row[wanted], row[wanted + 1], row[wanted + 2])
    }
    for (let f = 0; f < faces; f++) {
      const row = await next()
      if (row === null) throw new GeometryError('TRUNCATED', `The file ends after ${f} of ${faces} faces.`)
      const n = Array.isArray(row) ? row[0] : NaN
      if (!Number.isInteger(n) || n < 1 || (row as number[]).length < n + 1)
        throw new GeometryError('FORMAT', `Line ${line} should hold a face: a count and as many point numbers.`)
      // Lines and single points are passed over.
      if (n < 3) {
        builder.leaveOut('lines and single points among the faces')
        continue
      }
      const corners = (row as number[]).slice(1, n + 1)
      const wrong = corners.find((v) => !Number.isInteger(v) || v < 0 || v >= points)
      if (wrong !== undefined)
        throw new GeometryError(
          'RANGE',
          `Line ${line} names point ${wrong}, but there are only ${points}, counted from 0.`,
        )
      builder.polygon(corners, () => `line ${line}`)
    }
    while ((await next()) !== null) builder.leaveOut('lines after the last face')
    return builder.finish()
  } finally {
    await reader.close()
  }
}
