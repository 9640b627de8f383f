import {
  boundsOf,
  makePreview,
  makeThumb,
  motionFromRows,
  motionRows,
  packSelection,
  pointCount,
  readGlb,
  writeGlb,
  type Artefact,
  type Bounds,
  type Motions,
  type Shape,
} from '@holosoma/core'
import { readUnchecked, readWholeBlob, storeBlob } from './blobs'
import { whileAway, type Database } from '../store/database'
import { parseJson } from '../store/json'

export interface ShapeInfo {
  readonly hash: string
  readonly kind: 'cloud' | 'mesh' | 'motions' | 'selection' | 'scalars'
  readonly points: number
  readonly faces: number
  readonly bounds: Bounds | null
  readonly previewHash: string | null
  readonly thumbHash: string | null
}

/**
 * Stores an artefact under the SHA-256 of its bytes: shapes as glTF binaries with preview and thumbnail, motions as
 * JSON.
 */
export const storeArtefact = (db: Database, artefact: Artefact): Promise<ShapeInfo> =>
  whileAway(() => store(db, artefact))

async function store(db: Database, artefact: Artefact): Promise<ShapeInfo> {
  if (artefact.kind === 'motions') return storeMotions(db, artefact)
  if (artefact.kind === 'scalars') {
    const { sha256 } = await storeBlob(
      db,
      [new Uint8Array(artefact.values.buffer, artefact.values.byteOffset, artefact.values.byteLength)],
      'application/x-holosoma-scalars',
    )
    return insertShape(db, {
      hash: sha256,
      kind: 'scalars',
      points: artefact.values.length,
      faces: 0,
      bounds: null,
      previewHash: null,
      thumbHash: null,
    })
  }
  if (artefact.kind === 'selection') {
    const { sha256 } = await storeBlob(db, [packSelection(artefact)], 'application/x-holosoma-selection')
    return insertShape(db, {
      hash: sha256,
      kind: 'selection',
      points: artefact.count,
      faces: 0,
      bounds: null,
      previewHash: null,
      thumbHash: null,
    })
  }
  const { sha256: hash } = await storeBlob(db, [writeGlb(artefact)], 'model/gltf-binary')
  const known = await findShape(db, hash)
  if (known) return known
  const preview = await makePreview(artefact)
  const previewHash =
    preview === artefact ? hash : (await storeBlob(db, [writeGlb(preview)], 'model/gltf-binary')).sha256
  const thumb = makeThumb(artefact)
  const bytesOf = (a: Int16Array | Int8Array): Uint8Array => new Uint8Array(a.buffer, a.byteOffset, a.byteLength)
  const { sha256: thumbHash } = await storeBlob(
    db,
    [bytesOf(thumb.positions), bytesOf(thumb.normals)],
    'application/x-holosoma-thumb',
  )
  return insertShape(db, {
    hash,
    kind: artefact.kind,
    points: pointCount(artefact),
    faces: artefact.kind === 'mesh' ? artefact.indices.length / 3 : 0,
    bounds: boundsOf(artefact.positions),
    previewHash,
    thumbHash,
  })
}

async function storeMotions(db: Database, artefact: Motions): Promise<ShapeInfo> {
  const rows = Object.fromEntries(
    Object.entries(artefact.motions)
      .sort(([a], [b]) => (a < b ? -1 : 1))
      .map(([n, m]) => [n, motionRows(m)]),
  )
  const { sha256 } = await storeBlob(
    db,
    [new TextEncoder().encode(JSON.stringify({ unit: 'mm', motions: rows }))],
    'application/json',
  )
  return insertShape(db, {
    hash: sha256,
    kind: 'motions',
    points: 0,
    faces: 0,
    bounds: null,
    previewHash: null,
    thumbHash: null,
  })
}

async function insertShape(db: Database, info: ShapeInfo): Promise<ShapeInfo> {
  await db('shapes')
    .insert({
      hash: info.hash,
      kind: info.kind,
      points: info.points,
      faces: info.faces,
      bounds: JSON.stringify(info.bounds),
      preview_hash: info.previewHash,
      thumb_hash: info.thumbHash,
    })
    .onConflict('hash')
    .ignore()
  return info
}

interface ShapeRow {
  hash: string
  kind: ShapeInfo['kind']
  points: number
  faces: number
  bounds: string | Bounds | null
  preview_hash: string | null
  thumb_hash: string | null
}

/** What is known of shapes, by hash; those that are not kept are left out. */
export async function findShapes(db: Database, hashes: readonly string[]): Promise<Map<string, ShapeInfo>> {
  if (hashes.length === 0) return new Map()
  const rows = (await db('shapes').whereIn('hash', [...new Set(hashes)])) as ShapeRow[]
  return new Map(
    rows.map((r) => [
      r.hash,
      {
        hash: r.hash,
        kind: r.kind,
        points: Number(r.points),
        faces: Number(r.faces),
        bounds: parseJson<Bounds | null>(r.bounds),
        previewHash: r.preview_hash,
        thumbHash: r.thumb_hash,
      },
    ]),
  )
}

/** What is known of a shape; null where it is not kept. */
export async function findShape(db: Database, hash: string): Promise<ShapeInfo | null> {
  return (await findShapes(db, [hash])).get(hash) ?? null
}

/**
 * @param later takes the check of the stored bytes, which then goes on beside the work: whoever gives it must await it
 * before anything made of the shape is kept. Without it the check is awaited here.
 * @throws DAMAGED
 */
export async function loadShape(db: Database, hash: string, later?: Promise<void>[]): Promise<Shape> {
  const { bytes, checked } = await whileAway(() => readUnchecked(db, hash))
  if (!later) await checked
  else later.push(checked)
  try {
    return readGlb(bytes)
  } catch (error) {
    // That it cannot be read has a reason that says more.
    await checked
    throw error
  }
}

/** Stored motions, by the names their takes had then. @throws DAMAGED, FORMAT */
export async function loadMotions(db: Database, hash: string): Promise<Motions> {
  const { motions } = JSON.parse(new TextDecoder().decode(await whileAway(() => readWholeBlob(db, hash)))) as {
    motions: Record<string, number[][]>
  }
  return {
    kind: 'motions',
    motions: Object.fromEntries(Object.entries(motions).map(([n, rows]) => [n, motionFromRows(rows, n)])),
  }
}
