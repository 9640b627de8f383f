import { expose, transfer } from 'comlink'
import { isGeometryError, quietContext } from '@holosoma/core'
import { rawSurfaceOf } from '@holosoma/core/operations'
import { Sculpture, type Sculpted, type Stroke, type StrokeKind } from '@holosoma/core/sculpt'
import { pickFace } from '@holosoma/core/spatial'
import { facesOf } from './faces'
import { fetchShape } from './fetch-shape'
import type { DrawData } from './geometry.worker'
import { groundOf, type LaidTake } from './laid-takes'
import type { PointerRay } from './selecting'
import { dabsAlong, type Spot } from './dabs'

/** Rays of a stretch, with how hard the pointer was pressed, 0–1. */
export type PressedRay = PointerRay & { readonly pressure: number }

export interface SculptRequest {
  readonly hash: string
  /** The takes under the surface; empty where there are none. */
  readonly takes: readonly LaidTake[]
  readonly up: readonly number[] | null
  /** By how much the skin was made larger than its takes since. */
  readonly scale: number
  /** null: it is left aside. */
  readonly capMm: number | null
  /** What was brushed so far. */
  readonly strokes: readonly Stroke[]
}

/** What a dab changed of what is drawn. */
export interface Patch {
  readonly vertices: Int32Array
  /** xyz of each of them. */
  readonly positions: Float32Array
  readonly normals: Float32Array
}

interface Work {
  readonly sculpture: Sculpture
  readonly mesh: Sculpture['mesh']
  readonly strokes: { kind: StrokeKind; dabs: number[] }[]
  last: Spot | null
  /** A stroke has begun, and was not taken back meanwhile. */
  drawing: boolean
}
let work: Work | null = null

const patchOf = ({ sculpture: { live } }: Work, vertices: Int32Array): Patch => {
  const positions = new Float32Array(vertices.length * 3),
    normals = new Float32Array(vertices.length * 3)
  vertices.forEach((v, i) => {
    for (let c = 0; c < 3; c++) {
      positions[i * 3 + c] = live.positions[v * 3 + c]!
      normals[i * 3 + c] = live.normals[v * 3 + c]!
    }
  })
  return transfer({ vertices, positions, normals }, [vertices.buffer, positions.buffer, normals.buffer])
}

const worker = {
  /** Lays a surface under the hand, with what was brushed so far. @returns what is to be drawn */
  async open({ hash, takes, up, scale, capMm, strokes }: SculptRequest): Promise<DrawData | { error: string }> {
    try {
      const shape = await fetchShape(hash, 'whole')
      if (shape.kind !== 'mesh') return { error: 'Brushes work on a surface, not on points.' }
      const { names, ...ground } = await groundOf(takes)
      const raw = rawSurfaceOf(ground, { names, up, scale }, null, quietContext())
      const sculpture = new Sculpture(shape, { capMm: capMm ?? Infinity, raw })
      const { mesh } = sculpture
      for (const stroke of strokes) sculpture.draw(stroke)
      // Looked up now, so that the first dab does not wait for it.
      facesOf(mesh)
      work = {
        sculpture,
        mesh,
        strokes: strokes.map(({ dabs, ...kind }) => ({ kind, dabs: [...dabs] })),
        last: null,
        drawing: false,
      }
      return {
        kind: 'mesh',
        positions: sculpture.live.positions.slice(),
        normals: sculpture.live.normals.slice(),
        indices: mesh.indices.slice(),
        evidence: mesh.evidence?.slice() ?? null,
        colours: null,
      }
    } catch (error) {
      if (isGeometryError(error)) return { error: error.message }
      throw error
    }
  },

  /** A stroke begins. */
  begin(kind: StrokeKind): void {
    if (!work) return
    work.sculpture.begin(kind)
    work.strokes.push({ kind, dabs: [] })
    work.last = null
    work.drawing = true
  },

  /** A stretch of the stroke: dabs along where its rays meet the surface. Null where it met none. */
  stretch(rays: readonly PressedRay[]): Patch | null {
    const stroke = work?.strokes.at(-1)
    if (!work?.drawing || !stroke) return null
    const { sculpture, mesh } = work
    const spots = rays.flatMap((ray): Spot[] => {
      const hit = pickFace(facesOf(mesh), ray.origin, ray.direction)
      return hit ? [{ at: hit.at, pressure: ray.pressure }] : []
    })
    const { dabs, last } = dabsAlong(work.last, spots, stroke.kind.radiusMm)
    work.last = last
    const changed = new Set<number>()
    for (const [x, y, z, pressure] of dabs) {
      stroke.dabs.push(x, y, z, pressure)
      for (const v of sculpture.dab(x, y, z, pressure)) changed.add(v)
    }
    return changed.size > 0 ? patchOf(work, Int32Array.from(changed)) : null
  },

  /** What was brushed so far, and what came of it. */
  rest(): { readonly strokes: readonly Stroke[]; readonly told: Sculpted } | null {
    return (
      work && {
        strokes: work.strokes.flatMap(({ kind, dabs }) => (dabs.length > 0 ? [{ ...kind, dabs }] : [])),
        told: work.sculpture.told(),
      }
    )
  },

  /** Takes the last stroke that met the surface back. */
  back(): Patch | null {
    if (!work) return null
    work.drawing = false
    while (work.strokes.length > 0) {
      const { dabs } = work.strokes.pop()!
      const changed = work.sculpture.back()
      if (dabs.length > 0) return patchOf(work, changed)
    }
    return null
  },

  /** Lets the surface go. */
  close(): void {
    work = null
  },
}

export type SculptWorker = typeof worker
expose(worker)
