import { OIL_LAMP, polygonise, quietContext, simplifyMesh } from '@holosoma/core'
import { EMPTY_BRIEF, type Brief, type Permission } from '@holosoma/core/brief'
import { DEVICE_CLASSES, PHONE, firstPlan, type Plan } from '@holosoma/core/plan'
import type { Database } from '../store/database'
import { writeBrief, writePlan } from '../ledger/documents'
import { createPiece } from '../pieces/pieces'
import { storeArtefact } from '../blobs/shape-store'

/* The demo's pieces with their briefs: sample data, all invented. The tile's brief is left for the visitor to write. */

const yes = (by: string): Permission => ({ allowed: true, by, on: '2026-03-02' })
const no = (by: string): Permission => ({ allowed: false, by, on: '2026-03-02' })
const OWNER = 'E. Marrick, keeper'
const original = (over: Partial<Brief['permissions']>): Brief['permissions'] => ({
  touch: yes(OWNER),
  turn: yes(OWNER),
  coat: no(OWNER),
  dots: no(OWNER),
  putty: yes(OWNER),
  ...over,
})
const calliper = (name: string, from: string, to: string, readingMm: number | null): Brief['callipers'][number] => ({
  name,
  from,
  to,
  readingMm,
  uncertaintyMm: 0.05,
  instrument: 'calliper 3',
})

export const LAMP: Brief = {
  ...EMPTY_BRIEF,
  purposes: ['archive', 'print'],
  lengthMm: 118,
  widthMm: 66,
  heightMm: 39,
  massG: 240,
  detailMm: 1.2,
  original: true,
  traits: ['hollow', 'undercut'],
  zones: [
    { name: 'body', material: 'terracotta', sharePercent: 90, finish: 'matt', tone: 'middle', contrast: false },
    { name: 'soot at the spout', material: 'soot', sharePercent: 10, finish: 'matt', tone: 'dark', contrast: false },
  ],
  areas: [{ name: 'inside of the well', rank: 'nice', place: 'inside' }],
  permissions: original({}),
  callipers: [
    calliper('length', 'tip of the spout', 'outer rim of the handle', 118.0),
    calliper('height', 'foot', 'top of the rim', null),
  ],
  temperatureC: 19,
}
const BOBBIN: Brief = {
  ...EMPTY_BRIEF,
  purposes: ['print', 'fit'],
  lengthMm: 40,
  widthMm: 40,
  heightMm: 96,
  massG: 65,
  detailMm: 1,
  toleranceMm: 0.3,
  traits: ['round'],
  zones: [
    { name: 'all over', material: 'turned ash', sharePercent: 100, finish: 'satin', tone: 'light', contrast: false },
  ],
  permissions: original({ dots: yes(OWNER) }),
  callipers: [calliper('height', 'one end', 'the other', 96.1), calliper('flange', 'across', 'the flange', null)],
}
const JUG: Brief = {
  ...EMPTY_BRIEF,
  purposes: ['show', 'archive'],
  lengthMm: 130,
  widthMm: 112,
  heightMm: 165,
  massG: 780,
  detailMm: 1.5,
  original: true,
  traits: ['hollow'],
  zones: [
    {
      name: 'pale glaze',
      material: 'glazed earthenware',
      sharePercent: 62,
      finish: 'gloss',
      tone: 'pale',
      contrast: true,
    },
    {
      name: 'dark bands',
      material: 'glazed earthenware',
      sharePercent: 30,
      finish: 'gloss',
      tone: 'dark',
      contrast: false,
    },
    { name: 'foot', material: 'bare clay', sharePercent: 8, finish: 'matt', tone: 'middle', contrast: false },
  ],
  permissions: original({ coat: { allowed: null, by: '', on: '' } }),
}
const GULL: Brief = {
  ...EMPTY_BRIEF,
  purposes: ['show', 'printScaled'],
  lengthMm: 120,
  widthMm: 90,
  heightMm: 210,
  massG: 1150,
  detailMm: 1.5,
  original: true,
  traits: ['undercut'],
  zones: [
    {
      name: 'white paint',
      material: 'oil paint on pine',
      sharePercent: 70,
      finish: 'satin',
      tone: 'pale',
      contrast: true,
    },
    {
      name: 'beak and eyes',
      material: 'oil paint on pine',
      sharePercent: 30,
      finish: 'satin',
      tone: 'darkish',
      contrast: false,
    },
  ],
  areas: [{ name: 'head', rank: 'must', place: 'band', fromMm: 150, toMm: 210 }],
  permissions: original({}),
}
const CLEAT: Brief = {
  ...EMPTY_BRIEF,
  purposes: ['fit', 'check'],
  lengthMm: 88,
  widthMm: 24,
  heightMm: 30,
  massG: 310,
  detailMm: 0.6,
  toleranceMm: 0.15,
  traits: [],
  zones: [{ name: 'faces', material: 'brass', sharePercent: 100, finish: 'metal', tone: 'light', contrast: false }],
  permissions: { ...original({}), coat: yes('workshop'), dots: yes('workshop') },
  callipers: [calliper('length', 'horn to horn', '', 88.02)],
}

/** Reads the piece's stand-in off a rough scan of it, as a visitor would with a depth camera. */
async function lampPlan(db: Database): Promise<Plan> {
  const fine = polygonise(OIL_LAMP.field, OIL_LAMP.bounds, 2.2, quietContext())
  const { mesh } = simplifyMesh(fine, { faces: 5000 }, quietContext())
  const { hash } = await storeArtefact(db, mesh)
  const plan = firstPlan(DEVICE_CLASSES[1], { kind: 'mesh', hash, name: 'a quick scan' })
  const [upright] = plan.takes
  return {
    ...plan,
    photos: PHONE,
    takes: [
      { ...upright, elevationDeg: 48 },
      { ...upright, name: 'side', pose: 'custom', aboutXDeg: 104, headingDeg: 35, elevationDeg: 30 },
    ],
  }
}

/** Two exposures for pale and dark glaze, then upside down. */
function jugPlan(): Plan {
  const plan = firstPlan(DEVICE_CLASSES[1], {
    kind: 'lathe',
    profile: [
      [35, 0],
      [36, 6],
      [49, 30],
      [56, 62],
      [46, 100],
      [32, 128],
      [29, 148],
      [35, 165],
    ],
    hollow: { wallMm: 5, depthMm: 155 },
  })
  const [upright, inverted] = plan.takes
  return {
    ...plan,
    photos: PHONE,
    takes: [
      { ...upright, elevationDeg: 30, exposures: 2, distanceMm: 350 },
      { ...inverted, exposures: 2, distanceMm: 350 },
    ],
  }
}

/** Briefs and plans for the lamp and the other pieces of the shelf. */
export async function seedBriefs(db: Database, lampId: number): Promise<void> {
  await writeBrief(db, lampId, LAMP)
  await writePlan(db, lampId, await lampPlan(db), {
    verdict: 'doubtful',
    figure: 'two takes',
    text: 'Two takes are laid out; open the plan to see what they come to.',
  })
  const bobbin = await createPiece(db, { name: 'Net bobbin', number: 'HQ-022', sample: true, benchPiece: 'bobbin' })
  await writeBrief(db, bobbin, BOBBIN)
  await writePlan(
    db,
    bobbin,
    firstPlan(DEVICE_CLASSES[1], {
      kind: 'lathe',
      profile: [
        [20, 0],
        [20, 8],
        [11, 20],
        [9, 48],
        [11, 76],
        [20, 88],
        [20, 96],
      ],
    }),
  )
  await createPiece(db, { name: 'Stove tile', number: 'HQ-031', sample: true, benchPiece: 'tile' })
  const jug = await createPiece(db, { name: 'Banded jug', number: 'HQ-007', sample: true, benchPiece: 'jug' })
  await writeBrief(db, jug, JUG)
  await writePlan(db, jug, jugPlan())
  for (const [name, number, brief, benchPiece] of [
    ['Gull figurehead', 'HQ-040', GULL, 'gull'],
    ['Brass cleat', 'HQ-R3', CLEAT, 'cleat'],
  ] as const)
    await writeBrief(db, await createPiece(db, { name, number, sample: true, benchPiece }), brief)
}
