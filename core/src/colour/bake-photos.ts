import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { vertexNormals } from '../mesh/normals'
import { allocate, inShared } from '../parallel/allocate'
import { itemCounter } from '../parallel/items'
import type { Kernel } from '../parallel/kernel'
import { WHOLE } from '../parallel/part'
import { runShared } from '../parallel/share'
import type { Pixels } from '../pictures'
import type { Picture, TriangleMesh } from '../shapes'
import { unwrap, type Unwrapped, type UnwrapOptions } from '../unwrap'
import type { Camera } from '../view/camera'
import { blendKernel } from './blend-samples'
import { cameraRows } from './camera-rows'
import { chooseViews, type Views } from './choose-views'
import { texelStarts } from './face-texels'
import { paintUntold, pointColoursOf } from './fill-unseen'
import { finestOf, largestOf } from './finest'
import { levelPhotos, type Levelled } from './level-photos'
import { PlaceReadings } from './read-places'
import { sampleKernel, type SheetWork } from './sample-photo'
import { scoreKernel } from './score-views'
import { SHADING_TERMS, shadingTerms } from './shading'
import { widenCharts } from './widen-charts'

/** A photo that is read when it is its turn. */
export interface PhotoSource {
  readonly name: string
  readonly camera: Camera
  read(): Promise<Picture>
}

export interface Baked {
  /** With places on the sheet, and the colours of its points. */
  readonly mesh: TriangleMesh
  readonly unwrapped: Unwrapped
  /** sidePx²×3 sRGB bytes. */
  readonly sheet: Uint8Array
  /** Of each face: 1 where photos told it, 0 where its colour is invented. */
  readonly told: Uint8Array
  readonly levelled: Levelled
  /** Shares of the surface that photos told, and that nobody saw. */
  readonly seenShare: number
  readonly inventedShare: number
  /** Photos that are among the best of some face. */
  readonly usedPhotos: number
}

/** Photos a texel is mixed of, where memory allows. */
const MOST_VIEWS = 6
const LEAST_VIEWS = 3
/** Of the memory a computation may take, what the readings of the texels may; the rest is mesh, sheet and photos. */
const READINGS_SHARE = 0.5
const USUAL_MEMORY = 2 ** 31
/** Across, of photos that are only held against each other. */
const LEVELLING_PX = 800
/** Sides are whole numbers of pixels, however small a photo is made. */
const FORM_PIXELS = 2.5
/** A photo is read so finely that a texel is this many of its pixels. */
const PIXELS_A_TEXEL = 1.3

/**
 * Paints a surface from photos with known cameras: laid out on a sheet; each face by the photos that show it best, freed
 * of their exposures and of the light that stays with the camera; where none saw it, smoothly from its surroundings.
 * Photos are read one after the other, twice: small, to be held against each other, and as finely as the sheet is.
 * @throws PARAMS without photos, EMPTY when none of them shows the surface
 */
export async function bakePhotos(
  input: TriangleMesh,
  photos: readonly PhotoSource[],
  size: UnwrapOptions,
  context: RunContext,
): Promise<Baked> {
  if (photos.length === 0) throw new GeometryError('PARAMS', 'There is no photo to take the colour from.')
  const decode = context.decodePicture
  if (!decode) throw new GeometryError('PARAMS', 'Photos cannot be read here.')
  const unwrapped = unwrap(input, size, stage(context, 0, 0.08))
  const { mesh, sheetPx: side } = unwrapped
  const shared = !!context.parallel && context.parallel.threads > 1
  const kept = <T>(value: T): T => (shared ? inShared(value) : value)
  const points = mesh.positions.length / 3
  const work = kept({
    positions: mesh.positions,
    indices: mesh.indices,
    uvs: mesh.uvs!,
    normals: vertexNormals(mesh),
    cameras: cameraRows(
      photos.map((p) => p.camera),
      shared,
    ),
  })
  const scores = allocate(Uint8Array, points * photos.length, shared)
  await run(
    scoreKernel,
    {
      ...work,
      count: photos.length,
      finest: finestOf(mesh.positions, work.cameras, photos.length),
      scores,
      counter: itemCounter(shared),
    },
    photos.length,
    stage(context, 0.08, 0.2),
    'Looking what each photo shows',
  )
  const readings = new PlaceReadings(mesh.positions, work.normals, scores, photos.length)
  const levelling = stage(context, 0.2, 0.35)
  for (const [i, photo] of photos.entries()) {
    checkpoint(levelling, i, photos.length, `Holding photos against each other: ${photo.name}`)
    const { widthPx, heightPx } = photo.camera
    const pixels = await decode(
      await photo.read(),
      Math.round((LEVELLING_PX * LEVELLING_PX * heightPx) / widthPx),
      true,
    )
    sameForm(photo, pixels)
    readings.add(i, work.cameras, pixels)
  }
  const told = readings.readings()
  const levelled = levelPhotos(told, photos.length)
  const starts = texelStarts(mesh.uvs!, side, shared)
  const texels = starts[starts.length - 1]
  const room = ((context.memoryBytes ?? USUAL_MEMORY) * READINGS_SHARE) / (3 * Math.max(1, texels))
  if (room < LEAST_VIEWS)
    throw new GeometryError(
      'MEMORY',
      `A sheet of ${side} × ${side} texels needs more memory than there is here; ask for a smaller one.`,
    )
  const most = Math.min(MOST_VIEWS, Math.floor(room))
  const views = chooseViews(mesh.indices, scores, photos.length, most, shared)
  const used = usedOf(views, photos.length)
  if (used.length === 0)
    throw new GeometryError('EMPTY', 'None of the photos shows the surface; are their cameras those of this piece?')
  const sheetWork: SheetWork = {
    ...work,
    side,
    starts,
    views: views.photos,
    most,
    samples: allocate(Uint8Array, texels * most * 3, shared),
  }
  await sampleAll(photos, used, sheetWork, work.cameras, unwrapped.texelMm, stage(context, 0.35, 0.85))
  const sheet = allocate(Uint8Array, side * side * 3, shared)
  const toldFaces = allocate(Uint8Array, mesh.indices.length / 3, shared)
  await run(
    blendKernel,
    {
      ...sheetWork,
      normals: work.normals,
      cameras: work.cameras,
      scores,
      base: views.base,
      gains: kept(levelled.gains),
      shading: kept(levelled.shading),
      whole: kept(wholeOf(told, levelled)),
      sheet,
      told: toldFaces,
      counter: itemCounter(shared),
    },
    Math.ceil(mesh.indices.length / 3 / 1024),
    stage(context, 0.85, 0.95),
    'Mixing the photos',
  )
  const { colours } = pointColoursOf(mesh.indices, points, mesh.uvs!, sheet, side, toldFaces)
  paintUntold(mesh.indices, mesh.uvs!, sheet, side, toldFaces, colours)
  widenCharts(sheet, side)
  const seenShare = shareOf(mesh, toldFaces)
  return {
    mesh: { ...mesh, colours },
    unwrapped,
    sheet,
    told: toldFaces,
    levelled,
    seenShare,
    inventedShare: 1 - seenShare,
    usedPhotos: used.length,
  }

  async function run<W>(kernel: Kernel<W>, input: W, items: number, within: RunContext, note: string): Promise<void> {
    if (shared) return runShared(kernel, input, items, within, note)
    kernel.loop(input, WHOLE, (done) => checkpoint(within, done, items, note))
  }

  async function sampleAll(
    all: readonly PhotoSource[],
    wanted: readonly number[],
    sheetOf: SheetWork,
    cameras: Float64Array,
    texelMm: number,
    within: RunContext,
  ): Promise<void> {
    const finely = (i: number): Promise<Pixels> => {
      const { widthPx, heightPx } = all[i].camera
      const k = Math.min(1, PIXELS_A_TEXEL / (texelMm * largestOf(mesh.positions, cameras, i)))
      return all[i].read().then((picture) => decode!(picture, Math.ceil(widthPx * heightPx * k * k), true))
    }
    let coming = finely(wanted[0])
    let room = allocate(Uint8Array, 0, shared)
    for (const [k, i] of wanted.entries()) {
      checkpoint(within, k, wanted.length, `Taking colour from ${all[i].name}, ${k + 1} of ${wanted.length}`)
      const { width, height, rgb } = await coming
      if (k + 1 < wanted.length) {
        coming = finely(wanted[k + 1])
        // Its failure is told when it is its turn.
        coming.catch(() => undefined)
      }
      let pixels = rgb
      if (shared) {
        if (room.length < rgb.length) room = allocate(Uint8Array, rgb.length, true)
        room.set(rgb)
        pixels = room
      }
      const task = { ...sheetOf, cameras, photo: i, width, height, rgb: pixels, counter: itemCounter(shared) }
      const quiet = { ...within, progress: () => undefined }
      if (shared) await runShared(sampleKernel, task, 1, quiet, '')
      else sampleKernel.loop(task, WHOLE, () => checkpoint(quiet, 0, 1, ''))
    }
  }
}

/** A photo that lies on its side, or was cropped, is another than its camera tells of. */
function sameForm({ name, camera: { widthPx, heightPx } }: PhotoSource, { width, height }: Pixels): void {
  const wanted = widthPx / heightPx
  if (Math.abs((width / height / wanted - 1) * Math.min(width, height)) <= FORM_PIXELS) return
  throw new GeometryError(
    'FORMAT',
    `“${name}” has another form than its camera tells (${widthPx} × ${heightPx}): it was cropped, or lies on its side.`,
  )
}

function usedOf({ photos }: Views, count: number): number[] {
  const used = new Uint8Array(count)
  for (const p of photos) if (p < count) used[p] = 1
  return Array.from(used.keys()).filter((p) => used[p] === 1)
}

/**
 * What levelled light is multiplied by so that a place in the full light has its own colour: photos tell of no whole but
 * that, and a colour target tells more.
 */
function wholeOf(
  { facing, weight }: { facing: Float32Array; weight: Float32Array },
  { shading }: Levelled,
): Float64Array {
  const terms = new Float64Array(SHADING_TERMS)
  const lights: number[][] = [[], [], []]
  for (let r = 0; r < weight.length; r++) {
    shadingTerms(facing[r * 3], facing[r * 3 + 1], facing[r * 3 + 2], terms)
    for (let c = 0; c < 3; c++) {
      let log = 0
      for (let k = 0; k < SHADING_TERMS; k++) log += shading[c * SHADING_TERMS + k] * terms[k]
      lights[c].push(log)
    }
  }
  return Float64Array.from(lights, (l) => {
    l.sort((a, b) => a - b)
    return Math.exp(l[Math.floor(0.97 * (l.length - 1))] ?? 0)
  })
}

function shareOf(mesh: TriangleMesh, faces: Uint8Array): number {
  const { positions: p, indices: t } = mesh
  let some = 0,
    all = 0
  for (let f = 0; f < faces.length; f++) {
    const [a, b, c] = [t[f * 3] * 3, t[f * 3 + 1] * 3, t[f * 3 + 2] * 3]
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]]
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]]
    const area = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx)
    all += area
    if (faces[f]) some += area
  }
  return all > 0 ? some / all : 0
}
