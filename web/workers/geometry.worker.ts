import { expose, transfer } from 'comlink'
import { isGeometryError, motionFromRows, operationNamed, quietContext, readGlb, runOperation, transformPoints, vertexNormals, type PointCloud, type Selection, type Shape } from '@holosoma/core'
import { countBits, type Combine } from '@holosoma/core/select/bits'
import { KdTree } from '@holosoma/core/spatial/kd-tree'
import { thinEvenly } from '@holosoma/core/cloud/thin'
import { pickFace, pickPoint, type Hit } from '@holosoma/core/spatial/pick'
import { choose, type Choice } from './selecting'

/** What the stage needs to draw a shape. */
export interface DrawData {
  kind: 'cloud' | 'mesh'
  positions: Float32Array
  normals: Float32Array
  indices: Uint32Array | null
  evidence: Uint8Array | null
  colours: Uint8Array | null
}


const KEPT = 6
const full = new Map<string, Promise<Shape>>()
const previews = new Map<string, Promise<Shape>>()

async function fetchShape(hash: string, as: 'whole' | 'preview'): Promise<Shape> {
  const cache = as === 'whole' ? full : previews
  let shape = cache.get(hash)
  if (!shape) {
    shape = fetch(`/api/shapes/${hash}${as === 'preview' ? '?as=preview' : ''}`).then(async (r) => {
      if (!r.ok) throw new Error('The shape could not be loaded.')
      return readGlb(new Uint8Array(await r.arrayBuffer()))
    })
    shape.catch(() => cache.delete(hash))
    cache.set(hash, shape)
    // The oldest goes; a take of a million points is 24 MB.
    if (cache.size > KEPT) cache.delete(cache.keys().next().value!)
  }
  return shape
}

const worker = {
  /** Arrays of the preview, ready to draw. */
  async draw(hash: string): Promise<DrawData> {
    const shape = await fetchShape(hash, 'preview')
    const data: DrawData = {
      kind: shape.kind, positions: shape.positions.slice(), normals: shape.normals?.slice() ?? (shape.kind === 'mesh' ? vertexNormals(shape) : new Float32Array(shape.positions.length)),
      indices: shape.kind === 'mesh' ? shape.indices.slice() : null, evidence: shape.kind === 'mesh' ? shape.evidence?.slice() ?? null : null, colours: shape.colours?.slice() ?? null,
    }
    return transfer(data, [data.positions.buffer, data.normals.buffer, ...(data.indices ? [data.indices.buffer] : []), ...(data.evidence ? [data.evidence.buffer] : []), ...(data.colours ? [data.colours.buffer] : [])])
  },

  /** Nearest point of the full data under a ray, in the shape's own coordinates; `radiusMm` is how far off the ray a point may lie. */
  async pick(hash: string, origin: [number, number, number], direction: [number, number, number], radiusMm: number): Promise<Hit | null> {
    const shape = await fetchShape(hash, 'whole')
    return shape.kind === 'cloud' ? pickPoint(shape.positions, origin, direction, radiusMm) : pickFace(shape.positions, shape.indices, origin, direction)
  },

  /** What a hand has chosen of the full data, with what was chosen before. */
  async choose(hash: string, choice: Choice, before: Uint8Array | null, how: Combine): Promise<{ bits: Uint8Array; count: number } | { error: string }> {
    try {
      const bits = choose(hash, await fetchShape(hash, 'whole'), choice, before, how)
      return { bits, count: countBits(bits) }
    } catch (error) {
      if (isGeometryError(error)) return { error: error.message }
      throw error
    }
  },

  /** Runs a tidy operation without applying it: what would go, as bits over the full data. */
  async previewCut(hash: string, operation: string, params: object): Promise<{ bits: Uint8Array; count: number; text: string } | { error: string }> {
    try {
      const take = await fetchShape(hash, 'whole')
      const { outputs, figures, findings } = await runOperation(operationNamed(operation), { take }, { ...params, apply: false }, quietContext())
      const selection = outputs.selection as Selection
      return { bits: selection.bits, count: Number(figures.cut), text: findings[0]?.text ?? '' }
    } catch (error) {
      if (isGeometryError(error)) return { error: error.message }
      throw error
    }
  },

  /** Distance of each preview point of one take to the nearest point of the others, all through their motions, mm. */
  async residuals(hash: string, rows: number[][], others: { hash: string; rows: number[][] }[], limitMm: number): Promise<Float32Array> {
    const own = await fetchShape(hash, 'preview')
    const p = transformPoints(motionFromRows(rows, 'take'), own.positions)
    const out = new Float32Array(p.length / 3).fill(NaN)
    for (const other of others) {
      const shape = (await fetchShape(other.hash, 'whole')) as PointCloud
      const q = transformPoints(motionFromRows(other.rows, 'take'), shape.positions)
      const normals = shape.normals ? transformPoints(turnOnly(other.rows), shape.normals) : null
      const tree = new KdTree(q)
      for (let i = 0; i < out.length; i++) {
        const j = tree.nearest(p[i * 3]!, p[i * 3 + 1]!, p[i * 3 + 2]!, limitMm * limitMm)
        if (j < 0) continue
        const d = normals
          ? Math.abs(normals[j * 3]! * (p[i * 3]! - q[j * 3]!) + normals[j * 3 + 1]! * (p[i * 3 + 1]! - q[j * 3 + 1]!) + normals[j * 3 + 2]! * (p[i * 3 + 2]! - q[j * 3 + 2]!))
          : Math.sqrt(tree.lastDistance2)
        if (Number.isNaN(out[i]!) || d < out[i]!) out[i] = d
      }
    }
    return transfer(out, [out.buffer])
  },

  /** Area of the surface the takes show together, mm²: cells the points fall in; a surface at random slant meets 1.5 cells a cell area. */
  async area(takes: { hash: string; rows: number[][] | null }[]): Promise<number> {
    const parts = await Promise.all(takes.map(async (t) => {
      const { positions } = await fetchShape(t.hash, 'preview')
      return t.rows ? transformPoints(motionFromRows(t.rows, 'take'), positions) : positions
    }))
    const all = new Float32Array(parts.reduce((n, p) => n + p.length, 0))
    parts.reduce((at, p) => (all.set(p, at), at + p.length), 0)
    const cell = 2
    return (thinEvenly({ kind: 'cloud', positions: all }, cell).length * cell * cell) / 1.5
  },
}

function turnOnly(rows: number[][]): Float64Array {
  const m = motionFromRows(rows, 'take')
  m[3] = 0
  m[7] = 0
  m[11] = 0
  return m
}

export type GeometryWorker = typeof worker
expose(worker)
