import { expose, transfer } from 'comlink'
import {
  boundsOf,
  diagonal,
  isGeometryError,
  quietContext,
  readGlb,
  runOperation,
  simplifyMesh,
  skinTakes,
  type PointCloud,
  type RunContext,
  type TriangleMesh,
} from '@holosoma/core'
import type { Brief } from '@holosoma/core/brief'
import {
  areasOnMesh,
  ownAreas,
  type LabelledForm,
  areaSizes,
  carriedFrom,
  placeStandIn,
  type CarriedAreas,
  type Size,
  type StandIn,
  buildStandIn,
  Planner,
  type PlanDetails,
  type PlanReport,
  type Plan,
} from '@holosoma/core/plan'
import { coarseMesh } from '@holosoma/core/mesh'
import { pickFace } from '@holosoma/core/spatial'
import { facesOf } from './faces'
import { fetchShape } from './fetch-shape'

/** The stand-in's facets, ready to draw, and its plain faces for drawings on paper. */
export interface StandInDraw {
  corners: Float32Array
  normals: Float32Array
  count: number
  positions: Float32Array
  indices: Uint32Array
}

export interface Evaluation {
  report: PlanReport
  /** Per facet: class seen, step of the best angle, number of takes that see it. */
  seen: Uint8Array
  angle: Uint8Array
  shared: Uint8Array
  milliseconds: number
}

/** A mesh that stands in keeps its form with this many faces, and is looked at faster. */
const MAX_FACES = 6000
const stored = new Map<string, Promise<TriangleMesh>>()
let planner: Planner | null = null
/** Which stand-in it holds, at which size. */
let standing = ''
let corners: Float32Array = new Float32Array()
let pickable: TriangleMesh | null = null

async function storedMesh(hash: string): Promise<TriangleMesh> {
  let mesh = stored.get(hash)
  if (!mesh) {
    mesh = (async () => {
      const response = await fetch(`/api/shapes/${hash}`)
      if (!response.ok) throw new Error('The mesh that stands in is not here any more.')
      const shape = readGlb(new Uint8Array(await response.arrayBuffer()))
      if (shape.kind === 'cloud') return quickSkin(shape)
      return shape.indices.length / 3 > MAX_FACES
        ? simplifyMesh(shape, { faces: MAX_FACES }, quietContext()).mesh
        : shape
    })()
    mesh.catch(() => stored.delete(hash))
    stored.set(hash, mesh)
  }
  return mesh
}

/** A rough scan closed into a mesh, coarse: it only has to stand in. */
async function quickSkin(cloud: PointCloud): Promise<TriangleMesh> {
  const size = diagonal(boundsOf(cloud.positions))
  const { outputs } = await runOperation(
    skinTakes,
    { takes: [cloud], motions: { kind: 'motions', motions: {} } },
    { names: ['scan'], spacingMm: size / 60 },
    quietContext(),
  )
  const mesh = outputs.mesh as TriangleMesh
  return mesh.indices.length / 3 > MAX_FACES ? simplifyMesh(mesh, { faces: MAX_FACES }, quietContext()).mesh : mesh
}

async function skinOf(hash: string, as: 'whole' | 'preview'): Promise<TriangleMesh> {
  const shape = await fetchShape(hash, as)
  if (shape.kind !== 'mesh') throw new Error('Areas lie on a skin, not on points.')
  return shape
}

/** A form as it was looked at last: strokes of the brush change nothing of it. */
let own: { key: string; form: Promise<LabelledForm> } | null = null
function ownForm(key: string, make: () => Promise<LabelledForm>): Promise<LabelledForm> {
  if (own?.key === key) return own.form
  const made = (own = { key, form: make() })
  made.form.catch(() => {
    if (own === made) own = null
  })
  return made.form
}
/** Faces of a skin that is looked at from all round. */
const OWN_FACES = 20_000

const asJoined = (mesh: TriangleMesh, grown: number): TriangleMesh =>
  grown === 1 ? mesh : { kind: 'mesh', positions: mesh.positions.map((v) => v / grown), indices: mesh.indices }

const refusal = (error: unknown): { error: string } => {
  if (isGeometryError(error)) return { error: error.message }
  throw error
}

const worker = {
  async setUp(standIn: StandIn, size: Size): Promise<StandInDraw | { error: string }> {
    try {
      const key = JSON.stringify([standIn, size])
      // Looked at from all round once: whoever asks for the same one again has it at once.
      if (!planner || standing !== key) {
        const mesh = buildStandIn(standIn, size, standIn.kind === 'mesh' ? await storedMesh(standIn.hash) : undefined)
        planner = new Planner(mesh)
        standing = key
        corners = planner.facets.corners
        pickable = {
          kind: 'mesh',
          positions: corners,
          indices: Uint32Array.from({ length: corners.length / 3 }, (_, i) => i),
        }
      }
      const { mesh } = planner
      const draw: StandInDraw = {
        corners: corners.slice(),
        normals: planner.facets.normals.slice(),
        count: planner.facets.count,
        positions: mesh.positions.slice(),
        indices: mesh.indices.slice(),
      }
      return transfer(draw, [draw.corners.buffer, draw.normals.buffer, draw.positions.buffer, draw.indices.buffer])
    } catch (error) {
      return refusal(error)
    }
  },

  evaluate(plan: Plan, brief: Brief, secondsPerMillion: number | null): Evaluation | { error: string } {
    try {
      const started = performance.now()
      const report = planner!.evaluate(plan, brief, secondsPerMillion)
      const { angle, shared } = planner!.paint(plan, brief)
      return { report, seen: report.seen.classes, angle, shared, milliseconds: performance.now() - started }
    } catch (error) {
      return refusal(error)
    }
  },

  /** @param stop shared with the page: 1 asks to stop */
  details(
    plan: Plan,
    brief: Brief,
    stop: SharedArrayBuffer,
    progress: (fraction: number, note: string) => void,
  ): PlanDetails | { error: string } | null {
    const flag = new Int32Array(stop)
    let told = 0
    const context: RunContext = {
      ...quietContext(),
      cancelled: () => Atomics.load(flag, 0) === 1,
      progress: (fraction, note) => {
        if (performance.now() - told < 150) return
        told = performance.now()
        progress(fraction, note)
      },
    }
    try {
      return planner!.details(plan, brief, planner!.evaluate(plan, brief), context)
    } catch (error) {
      if (isGeometryError(error) && error.code === 'CANCELLED') return null
      return refusal(error)
    }
  },

  /** Where the stand-in lies in a skin. @param grown how much larger the skin was made since it was joined */
  async carry(hash: string, grown: number): Promise<CarriedAreas | { error: string }> {
    try {
      return carriedFrom(placeStandIn(planner!.mesh, asJoined(await skinOf(hash, 'preview'), grown)))
    } catch (error) {
      return refusal(error)
    }
  },

  /** Which area of the brief each point of a skin lies in, −1 for none, and how much surface each has, mm². */
  async areasOn(
    hash: string,
    carried: CarriedAreas,
    brief: Brief,
    grown: number,
  ): Promise<{ areaOf: Int16Array; sizesMm2: number[] }> {
    // What is drawn is looked at: a likeness of the whole with fewer triangles.
    const mesh = await skinOf(hash, 'preview')
    const forms = [
      planner!.paintedAreas(brief),
      await ownForm(`${hash} ${JSON.stringify([carried.rows, carried.scale, brief.areas, grown])}`, async () =>
        ownAreas(await coarseMesh(mesh, OWN_FACES), carried, brief.areas, grown),
      ),
    ]
    const areaOf = areasOnMesh(
      mesh,
      carried,
      forms,
      brief.areas.map((a) => a.name),
      grown,
    )
    return { areaOf, sizesMm2: areaSizes(mesh, areaOf, brief.areas.length) }
  },

  /** The spot of the stand-in under a ray, in its own coordinates. */
  pick(
    origin: [number, number, number],
    direction: [number, number, number],
  ): readonly [number, number, number] | null {
    return pickable && (pickFace(facesOf(pickable), origin, direction)?.at ?? null)
  },
}

export type PlanWorker = typeof worker
expose(worker)
