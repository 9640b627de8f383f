import { createHash } from 'node:crypto'
import { describe, expect, test } from 'vitest'
import { rotationMotion, unpackSelection } from '@holosoma/core'
import { blobSize, CHUNK_BYTES, readBlob, readWholeBlob, storeBlob } from './blobs'
import type { Database } from '../store/database'
import { onTestDatabase } from '../testing/test-piece'
import { findShape, loadMotions, loadShape, storeArtefact } from './shape-store'
import { collectUnused } from './space'
import { sphere } from '../testing/samples'

let db: Database
onTestDatabase((given) => void (db = given))

describe('blobs', () => {
  const bytes = Uint8Array.from({ length: 2.5 * CHUNK_BYTES }, (_, i) => (i * 7919) >> 3)
  const pieces = function* (size: number) {
    for (let i = 0; i < bytes.length; i += size) yield bytes.subarray(i, i + size)
  }
  test('are named by their SHA-256, held in chunks of at most 1 MiB, and read back the same', async () => {
    const info = await storeBlob(db, pieces(70_001), 'application/octet-stream')
    expect(info).toEqual({ sha256: createHash('sha256').update(bytes).digest('hex'), bytes: bytes.length })
    const rows = (await db('chunks').select(db.raw('LENGTH(data) AS n')).orderBy('seq')) as { n: number }[]
    expect(rows.map((r) => r.n)).toEqual([CHUNK_BYTES, CHUNK_BYTES, CHUNK_BYTES / 2])
    expect(Buffer.from(await readWholeBlob(db, info.sha256)).equals(Buffer.from(bytes))).toBe(true)
    expect(await blobSize(db, info.sha256)).toBe(bytes.length)
  })
  test('the same content is kept once', async () => {
    const [a, b] = await Promise.all([storeBlob(db, pieces(1 << 20), 'x'), storeBlob(db, pieces(99_999), 'x')])
    expect(a).toEqual(b)
    expect(await db('blobs').count({ n: '*' })).toEqual([{ n: 1 }])
  })
  test('a stream that breaks leaves nothing', async () => {
    const broken = (async function* () {
      yield bytes.subarray(0, CHUNK_BYTES + 5)
      throw new Error('cable out')
    })()
    await expect(storeBlob(db, broken, 'x')).rejects.toThrow('cable out')
    expect(await db('chunks').count({ n: '*' })).toEqual([{ n: 0 }])
  })
  test('what a dead writer left is collected after a day and not before', async () => {
    await db('blobs').insert([{ media_type: 'x' }, { media_type: 'x', created_at: db.raw('NOW() - INTERVAL 2 DAY') }])
    expect((await collectUnused(db)).contents).toBe(1)
    expect(await db('blobs').count({ n: '*' })).toEqual([{ n: 1 }])
  })
  test('unknown content and a missing chunk are said', async () => {
    await expect(readWholeBlob(db, 'f'.repeat(64))).rejects.toThrow(
      /ffffffffffff is not there\. Nothing in the ledger says what it was/,
    )
    const { sha256 } = await storeBlob(db, pieces(1 << 20), 'x')
    await db('chunks').where({ seq: 1 }).delete()
    await expect(
      (async () => {
        for await (const part of readBlob(db, sha256)) expect(part.length).toBeGreaterThan(0)
      })(),
    ).rejects.toThrow('lacks a part')
  })
})

describe('shapes', () => {
  test('are stored as glTF binaries with preview and thumbnail, and come back the same', async () => {
    const cloud = sphere(3000)
    const info = await storeArtefact(db, cloud)
    expect(info).toMatchObject({ kind: 'cloud', points: 3000, faces: 0 })
    expect(info.bounds!.max[2]).toBeCloseTo(10, 1)
    expect(await loadShape(db, info.hash)).toEqual(cloud)
    expect(new TextDecoder().decode((await readWholeBlob(db, info.hash)).subarray(0, 4))).toBe('glTF')
    expect(await blobSize(db, info.thumbHash!)).toBe(9 * 3000)
    expect(await findShape(db, info.previewHash!)).toBeNull()
    expect(await storeArtefact(db, cloud)).toEqual(info)
  })
  test('motions and selections are artefacts of their own', async () => {
    const m = rotationMotion([1, 2, 3], 0.5, [1, 2, 3])
    const info = await storeArtefact(db, {
      kind: 'motions',
      motions: { side: m, upright: rotationMotion([0, 0, 1], 0) },
    })
    expect(Array.from((await loadMotions(db, info.hash)).motions.side)).toEqual(Array.from(m))
    const bits = Uint8Array.of(1, 1)
    const nine = await storeArtefact(db, { kind: 'selection', count: 9, bits })
    expect(nine).toMatchObject({ kind: 'selection', points: 9 })
    // The same bits of other numbers, or of faces, are other selections.
    const ten = await storeArtefact(db, { kind: 'selection', count: 10, bits })
    const faces = await storeArtefact(db, { kind: 'selection', of: 'faces', count: 9, bits })
    expect(new Set([nine.hash, ten.hash, faces.hash]).size).toBe(3)
    expect(unpackSelection(await readWholeBlob(db, faces.hash), 9)).toMatchObject({ of: 'faces', count: 9, bits })
    expect(unpackSelection(bits, 9)).toMatchObject({ of: 'points', count: 9 })
    expect(() => unpackSelection(bits, 99)).toThrow('This is no selection.')
    expect(await storeArtefact(db, { kind: 'scalars', values: Float32Array.of(1, 2) })).toMatchObject({
      kind: 'scalars',
      points: 2,
    })
  })
})
