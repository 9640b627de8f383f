import type { Knex } from 'knex'
import { parseJson } from './json'

/** Forward and back, in order of name. A landed migration is never edited; a new one follows it. */
export const migrations: Readonly<Record<string, Knex.Migration>> = {
  '001_house': {
    async up(db) {
      await db.schema.createTable('blobs', (t) => {
        t.bigIncrements('id')
        t.string('sha256', 64).nullable().unique()
        t.bigInteger('bytes').notNullable().defaultTo(0)
        t.string('media_type', 80).notNullable()
        t.timestamp('created_at').notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('chunks', (t) => {
        t.bigInteger('blob_id').unsigned().notNullable().references('id').inTable('blobs').onDelete('CASCADE')
        t.integer('seq').unsigned().notNullable()
        t.specificType('data', 'MEDIUMBLOB').notNullable()
        t.primary(['blob_id', 'seq'])
      })
      await db.schema.createTable('shapes', (t) => {
        t.string('hash', 64).primary()
        t.string('kind', 12).notNullable()
        t.bigInteger('points').notNullable()
        t.bigInteger('faces').notNullable()
        t.json('bounds').notNullable()
        t.string('preview_hash', 64).nullable()
        t.string('thumb_hash', 64).nullable()
        t.timestamp('created_at').notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('pieces', (t) => {
        t.increments('id')
        t.string('name', 120).notNullable()
        t.string('number', 40).notNullable()
        t.boolean('sample').notNullable().defaultTo(false)
        t.string('bench_piece', 40).nullable()
        t.timestamp('created_at').notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('takes', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('name', 120).notNullable()
        t.string('pose', 80).notNullable()
        t.integer('ordinal').notNullable()
        t.boolean('fixed').notNullable().defaultTo(false)
        t.boolean('locked').notNullable().defaultTo(false)
        t.boolean('hidden').notNullable().defaultTo(false)
        t.timestamp('created_at').notNullable().defaultTo(db.fn.now())
      })
      await db.schema.createTable('steps', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('track', 40).notNullable()
        t.integer('parent_id').unsigned().nullable().references('id').inTable('steps').onDelete('CASCADE')
        t.string('operation', 60).notNullable()
        t.integer('version').notNullable()
        t.json('params').notNullable()
        t.json('inputs').notNullable()
        t.json('outputs').notNullable()
        t.json('figures').notNullable()
        t.json('findings').notNullable()
        t.text('description').notNullable()
        t.string('who', 80).notNullable()
        t.integer('duration_ms').notNullable()
        t.double('work').nullable()
        t.timestamp('created_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
        t.index(['piece_id', 'id'])
      })
      await db.schema.createTable('heads', (t) => {
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('track', 40).notNullable()
        t.integer('step_id').unsigned().nullable().references('id').inTable('steps').onDelete('CASCADE')
        t.primary(['piece_id', 'track'])
      })
      await db.schema.createTable('moves', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('track', 40).notNullable()
        t.integer('from_step').unsigned().nullable()
        t.integer('to_step').unsigned().nullable()
        t.enum('state', ['done', 'undone', 'abandoned']).notNullable().defaultTo('done')
        t.index(['piece_id', 'state', 'id'])
      })
      await db.schema.createTable('jobs', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('track', 40).notNullable()
        t.string('kind', 20).notNullable()
        t.string('title', 160).notNullable()
        t.json('request').notNullable()
        t.enum('state', ['queued', 'running', 'done', 'failed', 'cancelled']).notNullable().defaultTo('queued')
        t.double('progress').notNullable().defaultTo(0)
        t.string('note', 160).notNullable().defaultTo('')
        t.double('expected_seconds').nullable()
        t.text('error').nullable()
        t.integer('attempt').notNullable().defaultTo(0)
        t.string('worker', 80).nullable()
        t.boolean('cancel').notNullable().defaultTo(false)
        t.integer('step_id').unsigned().nullable()
        t.timestamp('heartbeat_at', { precision: 3 }).nullable()
        t.timestamp('started_at', { precision: 3 }).nullable()
        t.timestamp('ended_at', { precision: 3 }).nullable()
        t.timestamp('created_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
        t.index(['state', 'id'])
        t.index(['piece_id', 'id'])
      })
    },
    async down(db) {
      for (const table of ['jobs', 'moves', 'heads', 'steps', 'takes', 'pieces', 'shapes', 'chunks', 'blobs'])
        await db.schema.dropTableIfExists(table)
    },
  },
  '002_plan': {
    async up(db) {
      // Raised when a brief or plan is written on within the same sitting.
      await db.schema.alterTable('steps', (t) => {
        t.integer('revision').notNullable().defaultTo(0)
      })
      await db.schema.createTable('devices', (t) => {
        t.string('id', 60).primary()
        t.json('profile').notNullable()
        t.timestamp('updated_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
      })
    },
    async down(db) {
      await db.schema.dropTableIfExists('devices')
      await db.schema.alterTable('steps', (t) => {
        t.dropColumn('revision')
      })
    },
  },
  '003_take': {
    async up(db) {
      await db.schema.createTable('sessions', (t) => {
        t.integer('piece_id').unsigned().primary().references('id').inTable('pieces').onDelete('CASCADE')
        t.json('content').notNullable()
        t.integer('revision').notNullable().defaultTo(0)
        t.timestamp('updated_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
      })
    },
    async down(db) {
      await db.schema.dropTableIfExists('sessions')
    },
  },
  '004_acceptance': {
    async up(db) {
      await db.schema.createTable('acceptances', (t) => {
        t.increments('id')
        t.string('device_id', 60).notNullable()
        t.integer('device_version').notNullable()
        t.double('warm_k').notNullable()
        t.json('result').notNullable()
        t.timestamp('created_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
        t.index(['device_id', 'id'])
      })
    },
    async down(db) {
      await db.schema.dropTableIfExists('acceptances')
    },
  },
  '005_photos': {
    async up(db) {
      await db.schema.createTable('photos', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.integer('step_id').unsigned().notNullable().references('id').inTable('steps').onDelete('CASCADE')
        t.integer('take_id').unsigned().nullable().references('id').inTable('takes').onDelete('SET NULL')
        t.string('pose', 80).notNullable()
        t.string('name', 200).notNullable()
        t.string('sha256', 64).notNullable()
        t.integer('width').notNullable()
        t.integer('height').notNullable()
        t.bigInteger('bytes').notNullable()
        // Which of the turn, and how the table stood; null for photos that came as files.
        t.integer('nth').nullable()
        t.double('table_deg').nullable()
        t.json('camera').notNullable()
        t.index(['piece_id', 'step_id'])
      })
    },
    async down(db) {
      await db.schema.dropTableIfExists('photos')
    },
  },
  '006_hold': {
    async up(db) {
      // Asked of a running take: to wait, or to end with what it has.
      await db.schema.alterTable('jobs', (t) => {
        t.enum('hold', ['none', 'pause', 'stop']).notNullable().defaultTo('none')
      })
    },
    async down(db) {
      await db.schema.alterTable('jobs', (t) => {
        t.dropColumn('hold')
      })
    },
  },
  '007_tidy': {
    async up(db) {
      await db.schema.alterTable('takes', (t) => {
        // The take of the empty bench: subtracted from the others, never joined.
        t.boolean('bench').notNullable().defaultTo(false)
        // What its table shows helps joining and is cut afterwards.
        t.boolean('keep_base').notNullable().defaultTo(false)
        // Which of the pigments; null: by its number.
        t.integer('pigment').nullable()
      })
      await db.schema.createTable('selections', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.integer('take_id').unsigned().notNullable().references('id').inTable('takes').onDelete('CASCADE')
        t.string('name', 80).notNullable()
        // The shape whose points it chooses, and the bits.
        t.string('shape_hash', 64).notNullable()
        t.string('selection_hash', 64).notNullable()
        t.integer('chosen').notNullable()
        t.timestamp('created_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
        t.unique(['take_id', 'name'])
      })
    },
    async down(db) {
      await db.schema.dropTableIfExists('selections')
      await db.schema.alterTable('takes', (t) => {
        t.dropColumns('bench', 'keep_base', 'pigment')
      })
    },
  },
  '008_trial': {
    async up(db) {
      // When content was last wanted: what nothing points to goes a day after.
      await db.schema.alterTable('blobs', (t) => {
        t.timestamp('touched_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
        t.index(['touched_at'])
      })
      await db.schema.createTable('acts', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().nullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('kind', 20).notNullable()
        t.text('text').notNullable()
        t.string('who', 80).notNullable()
        t.timestamp('created_at', { precision: 3 }).notNullable().defaultTo(db.fn.now(3))
        t.index(['piece_id', 'id'])
      })
      // One name, one take: letters are told apart by what they are, not by how they sort.
      await db.raw('ALTER TABLE takes MODIFY name VARCHAR(420) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL')
      await db.raw('ALTER TABLE takes MODIFY pose VARCHAR(340) NOT NULL')
      await db.raw('ALTER TABLE pieces MODIFY name VARCHAR(480) NOT NULL')
      await db.raw('ALTER TABLE pieces MODIFY number VARCHAR(160) NOT NULL')
      await db.raw('ALTER TABLE selections MODIFY name VARCHAR(320) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin NOT NULL')
      await db.raw("ALTER TABLE jobs MODIFY title VARCHAR(640) NOT NULL, MODIFY note VARCHAR(480) NOT NULL DEFAULT ''")
      const takes = (await db('takes').orderBy('id').select('id', 'piece_id', 'name')) as {
        id: number
        piece_id: number
        name: string
      }[]
      const known = new Set<string>()
      for (const take of takes) {
        let name = take.name
        for (let n = 2; known.has(`${take.piece_id} ${name}`); n++) name = `${take.name} ${n}`
        known.add(`${take.piece_id} ${name}`)
        if (name !== take.name) await db('takes').where({ id: take.id }).update({ name })
      }
      await db.schema.alterTable('takes', (t) => {
        t.unique(['piece_id', 'name'])
      })
    },
    async down(db) {
      await db.schema.alterTable('takes', (t) => {
        // The key to the piece stays without it.
        t.index(['piece_id'], 'takes_piece_id_index')
        t.dropUnique(['piece_id', 'name'])
      })
      await db.raw('ALTER TABLE takes MODIFY name VARCHAR(420) NOT NULL')
      await db.schema.dropTableIfExists('acts')
      await db.schema.alterTable('blobs', (t) => {
        t.dropIndex(['touched_at'])
        t.dropColumn('touched_at')
      })
    },
  },
  '009_details': {
    async up(db) {
      await db.schema.alterTable('steps', (t) => {
        t.json('details').nullable()
      })
      await eachTold(db, async (id, figures, keys) => {
        const details = Object.fromEntries(
          Object.entries(keys).flatMap(([figure, detail]) =>
            typeof figures[figure] === 'string' ? [[detail, whole(figure, JSON.parse(figures[figure]))]] : [],
          ),
        )
        const rest = Object.fromEntries(Object.entries(figures).filter(([k]) => !Object.hasOwn(keys, k)))
        await db('steps')
          .where({ id })
          .update({ figures: JSON.stringify(rest), details: JSON.stringify(details) })
      })
    },
    async down(db) {
      await eachTold(db, async (id, figures, keys, details) => {
        const back = Object.fromEntries(
          Object.entries(keys).flatMap(([figure, detail]) =>
            details[detail] === undefined ? [] : [[figure, JSON.stringify(details[detail])]],
          ),
        )
        await db('steps')
          .where({ id })
          .update({ figures: JSON.stringify({ ...figures, ...back }) })
      })
      await db.schema.alterTable('steps', (t) => {
        t.dropColumn('details')
      })
    },
  },
  '010_details_whole': {
    async up(db) {
      // What an early version did not tell is empty, as it is where there was nothing to tell.
      await eachTold(db, async (id, _figures, keys, details) => {
        const missing = Object.entries(keys).filter(([, detail]) => details[detail] === undefined)
        if (missing.length === 0) return
        const filled = { ...details, ...Object.fromEntries(missing.map(([f, detail]) => [detail, nothingTold(f)])) }
        await db('steps')
          .where({ id })
          .update({ details: JSON.stringify(filled) })
      })
    },
    down: () => Promise.resolve(),
  },
  '011_asked_by': {
    async up(db) {
      await db.schema.alterTable('jobs', (t) => {
        t.string('who', 80).notNullable().defaultTo('bench')
      })
    },
    async down(db) {
      await db.schema.alterTable('jobs', (t) => {
        t.dropColumn('who')
      })
    },
  },
  '012_results': {
    async up(db) {
      await db.schema.createTable('results', (t) => {
        t.increments('id')
        t.integer('piece_id').unsigned().notNullable().references('id').inTable('pieces').onDelete('CASCADE')
        t.string('name', 320).notNullable()
        t.string('purpose', 320).notNullable().defaultTo('')
        t.string('note', 1600).notNullable().defaultTo('')
        t.integer('ordinal').notNullable()
        t.integer('shown').notNullable().defaultTo(0)
        t.boolean('binned').notNullable().defaultTo(false)
        t.unique(['piece_id', 'name'])
      })
      // The one line of mesh steps a piece had is its first result.
      for (const { piece_id } of await piecesOnTrack(db, 'mesh')) {
        const [id] = await db('results').insert({ piece_id, name: 'skin', ordinal: 1, shown: 1 })
        for (const table of LINES)
          await db(table)
            .where({ piece_id, track: 'mesh' })
            .update({ track: `result:${id}` })
      }
    },
    async down(db) {
      // Of several results the one that is shown stays; the steps of the others stay as they are, and lead nowhere.
      const rows = (await db('results').orderBy(['piece_id', 'shown'])) as { id: number; piece_id: number }[]
      const shown = new Map(rows.map((r) => [r.piece_id, r.id]))
      for (const { id, piece_id } of rows) {
        const track = `result:${id}`
        if (shown.get(piece_id) === id)
          for (const table of LINES) await db(table).where({ piece_id, track }).update({ track: 'mesh' })
        else for (const table of ['heads', 'moves', 'jobs']) await db(table).where({ piece_id, track }).delete()
      }
      await db.schema.dropTable('results')
    },
  },
  '013_bin': {
    async up(db) {
      await db.schema.alterTable('pieces', (t) => {
        t.boolean('binned').notNullable().defaultTo(false)
      })
    },
    async down(db) {
      await db.schema.alterTable('pieces', (t) => {
        t.dropColumn('binned')
      })
    },
  },
  '014_left_out': {
    async up(db) {
      await db.schema.alterTable('takes', (t) => {
        t.boolean('in_join').notNullable().defaultTo(true)
        t.boolean('in_skin').notNullable().defaultTo(true)
        t.boolean('binned').notNullable().defaultTo(false)
      })
      await db.schema.alterTable('steps', (t) => {
        // Its line was removed for good: it stays to be read, and what it left is kept for nobody.
        t.boolean('gone').notNullable().defaultTo(false)
      })
    },
    async down(db) {
      // Without a bin there is nowhere to lie: what was in it stands on the contact sheet again.
      await db.schema.alterTable('takes', (t) => {
        t.dropColumn('in_join')
        t.dropColumn('in_skin')
        t.dropColumn('binned')
      })
      await db.schema.alterTable('steps', (t) => {
        t.dropColumn('gone')
      })
    },
  },
  '015_hidden_results': {
    async up(db) {
      await db.schema.alterTable('results', (t) => {
        t.boolean('hidden').notNullable().defaultTo(false)
      })
    },
    async down(db) {
      await db.schema.alterTable('results', (t) => {
        t.dropColumn('hidden')
      })
    },
  },
}

/** Tables that say which line of a piece's history a row is on. */
const LINES = ['steps', 'heads', 'moves', 'jobs'] as const

const piecesOnTrack = async (db: Knex, track: string): Promise<{ piece_id: number }[]> => {
  const ids = new Set<number>()
  for (const table of LINES)
    for (const row of (await db(table).where({ track }).distinct('piece_id')) as { piece_id: number }[])
      ids.add(row.piece_id)
  return [...ids].map((piece_id) => ({ piece_id }))
}

/** Lists that stood as texts among the figures, by operation: name of the figure → name in the details. */
const TOLD: Readonly<Record<string, Readonly<Record<string, string>>>> = {
  'join.match': {
    pairs: 'pairs',
    links: 'links',
    slides: 'slides',
    alternatives: 'alternatives',
    doubleWalls: 'doubleWalls',
    conflicts: 'conflicts',
    closing: 'closing',
  },
  'take.complete': { gaps: 'gaps', proposal: 'proposal' },
  'take.simulate': { frameList: 'frames' },
  'take.matchFrames': { turnsDeg: 'turnsDeg' },
  'size.scale': { lengths: 'lengths' },
  'tidy.removeDots': { centres: 'centres' },
}

/** Of what stands in the details all are lists but two. */
function nothingTold(figure: string): unknown {
  if (figure === 'proposal') return null
  return figure === 'closing' ? { rings: 0, beforeMm: 0, afterMm: 0 } : []
}

/** Early matches told of pairs without judging them, and only of poses that fit as well as the one taken. */
function whole(figure: string, told: unknown): unknown {
  if (figure === 'pairs') return (told as { verdict?: string }[]).filter((p) => p.verdict !== undefined)
  if (figure === 'alternatives')
    return (told as Record<string, unknown>[]).map((a) => ({ shiftMm: 0, stayers: [], asWell: true, ...a }))
  return told
}

/** Steps whose operation tells details, one at a time. */
async function eachTold(
  db: Knex,
  act: (
    id: number,
    figures: Record<string, string>,
    keys: Readonly<Record<string, string>>,
    details: Record<string, unknown>,
  ) => Promise<void>,
): Promise<void> {
  const steps = (await db('steps').whereIn('operation', Object.keys(TOLD)).select('id', 'operation')) as {
    id: number
    operation: string
  }[]
  for (const { id, operation } of steps) {
    const row = (await db('steps').where({ id }).first()) as { figures: string; details?: string | null }
    await act(id, parseJson(row.figures as never), TOLD[operation], row.details ? parseJson(row.details as never) : {})
  }
}
