import {
  inspectShape,
  NET_BOBBIN,
  operationNamed,
  polygonise,
  quietContext,
  runOperation,
  seededRandom,
  vertexNormals,
  type TriangleMesh,
} from '@holosoma/core'
import { storeArtefact } from '../blobs/shape-store'
import { recordStep, type Track } from '../ledger/ledger'
import { createPiece } from '../pieces/pieces'
import { createResult, resultTrack } from '../pieces/results'
import { pieceState } from '../pieces/state'
import { createTake } from '../pieces/takes'
import { transact, type Database } from '../store/database'
import { runDemoJob } from './demo-jobs'

const SPACING_MM = 1.3
const NOISE_MM = 0.03
const FILE = 'bobbin-by-another-hand.ply'
/** Where the mesh of the demo was never seen: on the waist, on a flange, under the rim; and how wide, mm. */
const UNSEEN = [
  { at: [9.6, 0, 40], reachMm: 6 },
  { at: [-13, 6, 96], reachMm: 4.5 },
  { at: [0, -14, 83], reachMm: 3.2 },
] as const

/**
 * A mesh that came from elsewhere, with what such meshes have: holes, a crumb beside it, noise. One result is mended,
 * the other, which is shown, waits.
 */
export async function seedToMend(db: Database): Promise<void> {
  const pieceId = await createPiece(db, {
    name: 'Bobbin, a mesh to mend',
    number: 'HQ-022 b',
    sample: true,
    benchPiece: null,
  })
  const take = await createTake(db, pieceId, 'mesh', '')
  const mesh = await meshWithHoles()
  const { hash } = await storeArtefact(db, mesh)
  const { figures, findings } = await runOperation(inspectShape, { shape: mesh }, { full: false }, quietContext())
  await transact(db, (trx) =>
    recordStep(trx, pieceId, {
      track: `take:${take.id}`,
      operation: 'take.import',
      version: 1,
      params: { fileName: FILE, unit: 'mm' },
      inputs: {},
      outputs: { take: hash },
      figures: { ...figures, faces: mesh.indices.length / 3, leftOut: 0 },
      findings,
      description: `Imported ${FILE}`,
      who: 'bench',
      durationMs: 0,
      work: 0,
    }),
  )
  const skin = async (): Promise<string> => (await pieceState(db, pieceId))!.mesh!.shape.hash
  const adopted = async (name: string): Promise<Track> => {
    const track = resultTrack((await createResult(db, pieceId, name)).id)
    await runDemoJob(db, pieceId, track, `Checking “${take.name}”`, { operation: 'skin.adopt', inputs: { mesh: hash } })
    return track
  }
  const mended = await adopted('mended')
  await runDemoJob(db, pieceId, mended, 'Curing what is safe', {
    operation: 'mend.heal',
    inputs: { mesh: await skin() },
  })
  await adopted('as it came')
}

/** The bobbin as a mesh of another: rough, holed, with a crumb beside it. */
async function meshWithHoles(): Promise<TriangleMesh> {
  const whole = polygonise(NET_BOBBIN.field, NET_BOBBIN.bounds, SPACING_MM, quietContext())
  const normals = vertexNormals(whole)
  const random = seededRandom(22)
  const positions = whole.positions.slice()
  for (let v = 0; v < positions.length; v += 3) {
    const off = NOISE_MM * random.gaussian()
    for (let c = 0; c < 3; c++) positions[v + c] += off * normals[v + c]
  }
  let mesh: TriangleMesh = { kind: 'mesh', positions, indices: whole.indices }
  const cut = operationNamed('mend.cutAway')
  for (const { at, reachMm } of UNSEEN)
    mesh = (
      await runOperation(
        cut,
        { mesh },
        { region: { kind: 'seeds', seeds: [at], reachMm }, close: false },
        quietContext(),
      )
    ).outputs.mesh as TriangleMesh
  // A tetrahedron of a millimetre, where dust lay.
  const crumb = {
    positions: [27, 0, 60, 28, 0, 60, 27, 1, 60, 27, 0, 61],
    indices: [0, 2, 1, 0, 1, 3, 1, 2, 3, 2, 0, 3],
  }
  const places = new Float32Array(mesh.positions.length + crumb.positions.length)
  places.set(mesh.positions)
  places.set(crumb.positions, mesh.positions.length)
  const indices = new Uint32Array(mesh.indices.length + crumb.indices.length)
  indices.set(mesh.indices)
  const first = mesh.positions.length / 3
  indices.set(
    crumb.indices.map((v) => first + v),
    mesh.indices.length,
  )
  return { kind: 'mesh', positions: places, indices }
}
