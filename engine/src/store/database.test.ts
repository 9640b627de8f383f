import { describe, expect, test } from 'vitest'
import { detailsOf } from '@holosoma/core'
import { execute, migrate, migrateTo, rollback, type Database } from './database'
import { listSteps } from '../ledger/ledger'
import { parseJson } from './json'
import { onTestDatabase } from '../testing/test-piece'

const given = process.env.HOLOSOMA_TEST_DATABASE_URL
let db: Database
const url = new URL(given ?? 'mysql://none')
onTestDatabase((given) => void (db = given))

describe('database', () => {
  test('migrations go forward and back and forward again', async () => {
    await rollback(db)
    expect(await db.schema.hasTable('pieces')).toBe(false)
    expect(await migrate(db)).toEqual([
      '001_house',
      '002_plan',
      '003_take',
      '004_acceptance',
      '005_photos',
      '006_hold',
      '007_tidy',
      '008_trial',
      '009_details',
      '010_details_whole',
      '011_asked_by',
      '012_results',
      '013_bin',
      '014_left_out',
      '015_hidden_results',
    ])
    expect(await db.schema.hasTable('chunks')).toBe(true)
    expect(await migrate(db)).toEqual([])
  })
  test('a house of an older version with two takes of one name comes up with two names, and its content counts as wanted', async () => {
    await rollback(db)
    await migrateTo(db, '007_tidy')
    await db('pieces').insert({ id: 1, name: 'Lamp', number: '' })
    const rows = [...Array(3)].map((_, i) => ({ piece_id: 1, name: 'side', pose: '', ordinal: i + 1 }))
    await db('takes').insert(rows)
    await db('blobs').insert({ sha256: 'a'.repeat(64), bytes: 1, media_type: 'x' })
    expect(await migrate(db)).toEqual([
      '008_trial',
      '009_details',
      '010_details_whole',
      '011_asked_by',
      '012_results',
      '013_bin',
      '014_left_out',
      '015_hidden_results',
    ])
    const names = (await db('takes').orderBy('id').select('name')) as { name: string }[]
    expect(names.map((t) => t.name)).toEqual(['side', 'side 2', 'side 3'])
    expect((await db('blobs').whereRaw('touched_at > NOW() - INTERVAL 1 HOUR')).length).toBe(1)
  })
  test('what older steps kept as texts among their figures comes into their details, and back', async () => {
    await rollback(db)
    await migrateTo(db, '008_trial')
    await db('pieces').insert({ id: 1, name: 'Lamp', number: '' })
    const row = {
      piece_id: 1,
      track: 'join',
      version: 1,
      params: '{}',
      inputs: '{}',
      outputs: '{}',
      findings: '[]',
      description: '',
      who: '',
      duration_ms: 1,
    }
    const pair = { take: 'side', fixed: 'upright', verdict: 'sound' }
    const match = {
      p95Mm: 0.1,
      pairs: JSON.stringify([pair, { take: 'top', fixed: 'upright' }]),
      alternatives: JSON.stringify([{ movers: ['side'], turnDeg: 180 }]),
    }
    await db('steps').insert([
      { ...row, operation: 'join.match', figures: JSON.stringify(match) },
      { ...row, operation: 'take.simulate', figures: JSON.stringify({ frames: 2, frameList: '[[0],[30]]' }) },
      { ...row, operation: 'tidy.thin', figures: JSON.stringify({ cut: 3 }) },
      { ...row, operation: 'size.scale', figures: JSON.stringify({ factor: 25.4 }) },
    ])
    expect(await migrate(db)).toEqual([
      '009_details',
      '010_details_whole',
      '011_asked_by',
      '012_results',
      '013_bin',
      '014_left_out',
      '015_hidden_results',
    ])
    const [joined, taken, thinned, scaled] = await listSteps(db, 1)
    expect([joined.figures, taken.figures, thinned.figures]).toEqual([{ p95Mm: 0.1 }, { frames: 2 }, { cut: 3 }])
    // Early matches did not judge every pair, told only of poses that fit as well, and nothing of slides.
    expect(detailsOf(joined, 'join.match')).toMatchObject({
      pairs: [pair],
      slides: [],
      alternatives: [{ movers: ['side'], turnDeg: 180, asWell: true }],
    })
    expect(detailsOf(taken, 'take.simulate')).toEqual({ frames: [[0], [30]] })
    expect(detailsOf(scaled, 'size.scale')).toEqual({ lengths: [] })
    expect([thinned.details, detailsOf(thinned, 'join.match')]).toEqual([null, null])
    await migrateTo(db, '008_trial')
    const back = (await db('steps').orderBy('id').select('figures')) as { figures: string }[]
    expect(parseJson(back[1].figures as never)).toEqual({ frames: 2, frameList: '[[0],[30]]' })
    await migrate(db)
  })
  test('the mesh a piece had is its first result; back again, the one that is shown is the mesh', async () => {
    await rollback(db)
    await migrateTo(db, '011_asked_by')
    await db('pieces').insert([
      { id: 1, name: 'Lamp', number: '' },
      { id: 2, name: 'Jug', number: '' },
    ])
    const row = { operation: 'skin.make', version: 1, description: '', who: '', duration_ms: 1 }
    const none = { params: '{}', inputs: '{}', outputs: '{}', findings: '[]', figures: '{}' }
    await db('steps').insert([
      { ...row, ...none, id: 1, piece_id: 1, track: 'mesh' },
      { ...row, ...none, id: 2, piece_id: 1, track: 'join' },
    ])
    await db('heads').insert([
      { piece_id: 1, track: 'mesh', step_id: 1 },
      { piece_id: 1, track: 'join', step_id: 2 },
    ])
    await db('moves').insert({ piece_id: 1, track: 'mesh', from_step: null, to_step: 1 })
    expect(await migrate(db)).toEqual(['012_results', '013_bin', '014_left_out', '015_hidden_results'])
    const [only, ...others] = (await db('results')) as { id: number; piece_id: number; name: string }[]
    expect([only.piece_id, only.name, others]).toEqual([1, 'skin', []])
    const tracks = async (table: string): Promise<string[]> =>
      ((await db(table).orderBy('track')) as { track: string }[]).map((r) => r.track)
    for (const table of ['steps', 'heads']) expect(await tracks(table)).toEqual(['join', `result:${only.id}`])
    expect(await tracks('moves')).toEqual([`result:${only.id}`])
    const [second] = (await db('results').insert({ piece_id: 1, name: 'fine', ordinal: 2, shown: 2 })) as [number]
    await db('heads').insert({ piece_id: 1, track: `result:${second}`, step_id: 1 })
    await migrateTo(db, '011_asked_by')
    expect(await tracks('heads')).toEqual(['join', 'mesh'])
    await migrate(db)
  })
  test('the server keeps to loopback', () => expect(url.hostname).toBe('127.0.0.1'))
  test('a connection is given back when a statement fails', async () => {
    for (let i = 0; i < 20; i++) await expect(execute(db, 'SELECT nothing FROM nowhere', [])).rejects.toThrow(/nowhere/)
    expect(await db('pieces').count({ n: '*' })).toEqual([{ n: 0 }])
  })
})
