import { atWidth, project, type Camera } from '../view/camera'
import type { Contour, ContourFinder } from './contour'
import { EdgeSearch, type Wanted } from './find-edges'
import type { Level } from './grey-levels'
import { NormalEquations, tukey } from './normal-equations'
import { PICK_SIGMA, type PhotoPick } from './pose-from-picks'
import { BENT, FOCAL, movedTurn, STEPS, TURN_UNKNOWNS, turnCamera, type Turn } from './turn'

/** A photo of a turn at the size it is looked at. */
export interface TurnPhoto {
  /** Of the table, radians, from the photo that was picked on. */
  readonly angle: number
  readonly level: Level
}

/** What is known before of a turn, as one sigma; lengths are shares of the piece's size. */
export interface Held {
  readonly focalPx: number
  readonly focal: number
  readonly bent: number
  readonly steps: number
  /** The first camera may move so far in a round. */
  readonly pose: number
  readonly axis: number
}

export interface FittedTurn {
  readonly turn: Turn
  /** Median distance of contours from the edges they found, px of the pictures looked at. */
  readonly offPx: number
  /** Share of the contours' places that found an edge within reach and kept half its weight. */
  readonly found: number
}

/** Edges are found so well, px. */
const EDGE_SIGMA = 0.5
const NUDGE = 1e-6
const READINGS_A_PHOTO = 30
/** A pick so many sigmas off is taken for a wrong one. */
const WRONG_PICK = 8
const LEAST_PLACES = 40
/** Nearer than this a contour lies on its edge, px. */
const ON_EDGE_PX = 1.5

/** Distances of contours from edges in one photo. */
export interface EdgeRows {
  readonly contour: Contour
  /** Of each place of the contour: px along its outward direction, NaN where no edge was found. */
  readonly off: Float64Array
}

/** Looks for the edges of a photo at the contours a camera of its size sees. */
export function edgesOf(
  finder: ContourFinder,
  search: EdgeSearch,
  level: Level,
  camera: Camera,
  reach: number,
  wanted: Wanted = 'strongest',
): EdgeRows {
  const contour = finder.find(camera)
  const off = new Float64Array(contour.count).fill(NaN)
  const shown = new Float64Array(3)
  for (let i = 0; i < contour.count; i++) {
    project(camera, contour.at[i * 3], contour.at[i * 3 + 1], contour.at[i * 3 + 2], shown)
    const found = search.find(
      level,
      shown[0],
      shown[1],
      contour.outward[i * 2],
      contour.outward[i * 2 + 1],
      reach,
      contour.outer[i] ? wanted : 'strongest',
    )
    if (found === null) continue
    off[i] = found
  }
  return { contour, off }
}

/**
 * Moves a whole turn so that the contours of the piece lie on edges of its photos: all photos together, since they
 * share camera, axis and lens (after Drummond and Cipolla 2002, "Real-time visual tracking of complex structures").
 * @param reach how far edges are looked for in each round, px
 */
export function fitTurn(
  start: Turn,
  photos: readonly TurnPhoto[],
  finder: ContourFinder,
  middle: readonly number[],
  size: number,
  held: Held,
  reach: readonly number[],
  picks: readonly PhotoPick[] = [],
  wanted: Wanted = 'strongest',
): FittedTurn {
  let turn = start
  const search = new EdgeSearch()
  const sight = (from: Turn, photo: TurnPhoto): Camera => atWidth(turnCamera(from, photo.angle), photo.level.width)
  let offPx = Infinity,
    share = 0
  for (const [round, far] of reach.entries()) {
    const rows = photos.map((photo) => edgesOf(finder, search, photo.level, sight(turn, photo), far, wanted))
    const all = rows.reduce((s, r) => s + r.contour.count, 0)
    const some = rows.flatMap((r) => [...r.off].filter((d) => !Number.isNaN(d)).map(Math.abs)).sort((a, b) => a - b)
    if (some.length < LEAST_PLACES) return { turn, offPx: Infinity, found: 0 }
    const spread = 1.4826 * some[some.length >> 1]
    const limit = Math.max(2, Math.min(far, 4.7 * spread))
    offPx = some[some.length >> 1]
    share = some.filter((d) => d < 0.54 * limit).length / all
    const sums = new NormalEquations(TURN_UNKNOWNS)
    const nudged = Array.from({ length: TURN_UNKNOWNS }, (_, i) =>
      movedTurn(
        turn,
        Array.from({ length: TURN_UNKNOWNS }, (_v, k) => (k === i ? NUDGE : 0)),
        middle,
        size,
      ),
    )
    photos.forEach((photo, p) =>
      addRows(
        sums,
        rows[p],
        sight(turn, photo),
        nudged.map((n) => sight(n, photo)),
        limit,
      ),
    )
    // Neighbouring places of a contour err together: a photo counts as a few readings, not as hundreds.
    sums.scale((READINGS_A_PHOTO * photos.length) / Math.max(1, some.length))
    addPicks(sums, picks, turn, nudged)
    sums.hold(FOCAL, Math.log(turn.camera.focalPx / held.focalPx), held.focal)
    sums.hold(BENT, turn.camera.distortion[0], held.bent)
    sums.hold(STEPS, Math.log(Math.abs(turn.stretch)), held.steps)
    for (let i = 0; i < FOCAL; i++) sums.hold(i, 0, i < 6 ? held.pose : held.axis)
    const step = sums.step(round === 0 ? 1e-2 : 1e-4)
    if (!step) break
    turn = movedTurn(turn, step, middle, size)
  }
  return { turn, offPx, found: share }
}

/** Share of the contours' places that lie on an edge of their photo, as the turn stands. */
export function shareOnEdges(turn: Turn, photos: readonly TurnPhoto[], finder: ContourFinder): number {
  const search = new EdgeSearch()
  let all = 0,
    on = 0
  for (const { angle, level } of photos) {
    const { contour, off } = edgesOf(finder, search, level, atWidth(turnCamera(turn, angle), level.width), ON_EDGE_PX)
    all += contour.count
    for (const d of off) if (Math.abs(d) < ON_EDGE_PX) on++
  }
  return all > 0 ? on / all : 0
}

/** What was picked on the first photo holds it where it is. */
function addPicks(sums: NormalEquations, picks: readonly PhotoPick[], turn: Turn, nudged: readonly Turn[]): void {
  const sigma = PICK_SIGMA * turn.camera.widthPx
  const at = new Float64Array(3),
    near = new Float64Array(3)
  const rows = [new Float64Array(TURN_UNKNOWNS), new Float64Array(TURN_UNKNOWNS)]
  for (const { px, at: p } of picks) {
    project(turn.camera, p[0], p[1], p[2], at)
    nudged.forEach(({ camera }, k) => {
      project(camera, p[0], p[1], p[2], near)
      rows[0][k] = (near[0] - at[0]) / NUDGE
      rows[1][k] = (near[1] - at[1]) / NUDGE
    })
    const [du, dv] = [at[0] - px[0], at[1] - px[1]]
    const w = tukey(Math.hypot(du, dv), WRONG_PICK * sigma) / sigma ** 2
    sums.add(rows[0], du, w)
    sums.add(rows[1], dv, w)
  }
}

/** Of each edge that was found, how its distance from the contour changes as the camera does. */
export function addRows(
  sums: NormalEquations,
  { contour, off }: EdgeRows,
  camera: Camera,
  nudged: readonly Camera[],
  limit: number,
): void {
  const row = new Float64Array(sums.unknowns)
  const at = new Float64Array(3),
    near = new Float64Array(3)
  for (let i = 0; i < contour.count; i++) {
    if (Number.isNaN(off[i])) continue
    const w = tukey(off[i], limit)
    if (w === 0) continue
    const [x, y, z] = [contour.at[i * 3], contour.at[i * 3 + 1], contour.at[i * 3 + 2]]
    const [nx, ny] = [contour.outward[i * 2], contour.outward[i * 2 + 1]]
    project(camera, x, y, z, at)
    nudged.forEach((c, k) => {
      project(c, x, y, z, near)
      row[k] = ((near[0] - at[0]) * nx + (near[1] - at[1]) * ny) / NUDGE
    })
    sums.add(row, -off[i], w / EDGE_SIGMA ** 2)
  }
}
