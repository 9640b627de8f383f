import { areaOfPoints } from '../../cloud/area'
import { compose, invertRigid, type Motion } from '../../linear/rigid'
import { median } from '../../linear/samples'
import { CellIndex } from '../../spatial/cell-index'
import { thinEvenly } from '../../cloud/thin'
import type { OrientedCloud } from '../oriented-cloud'

/** What two takes both saw, place by place, in the common frame. */
export interface SharedSurface {
  /** n×3, mm. */
  readonly points: Float32Array
  /** n×3: as the first take, and as the second sees it. */
  readonly normals: Float32Array
  readonly others: Float32Array
  /** n: how far the first take's surface stands outside the second's, mm. */
  readonly apartMm: Float32Array
  /** Surface each place stands for, mm². */
  readonly cellMm2: number
  /** Places of each take looked at, and those of them within the contract's reach of the other (3 σ + spacing). */
  readonly looked: readonly [number, number]
  readonly met: readonly [number, number]
  /** Share of the smaller take's surface the other has too. */
  readonly share: number
  readonly areaMm2: number
  /** Robust scatter of what is within reach, and what the points' own scatter would make of it, mm. */
  readonly scatterMm: number
  readonly expectedMm: number
  readonly rmsMm: number
  readonly p95Mm: number
}

/** One patch of the shared surface: mean distance, and how sure it is. */
export interface SharedPatch {
  readonly places: Int32Array
  readonly meanMm: number
  readonly errorMm: number
}

const MIN_COSINE = Math.SQRT1_2
/** Off the place it meets, along the surface, in spacings: past a rim the nearest point lies sideways. */
const SIDEWAYS_SPACINGS = 1.6
export const PATCH_CELLS = 5
const MIN_PLACES = 6

/** Even places for looking at what takes share. */
export function placesOf(cloud: OrientedCloud, cellMm: number): Int32Array {
  const sample =
    cellMm > cloud.features.spacingMm
      ? thinEvenly({ kind: 'cloud', positions: cloud.positions }, cellMm)
      : cloud.features.order
  return sample.filter((i) => cloud.features.boundary[i] === 0)
}

/** Edge of a place: finer than that says no more about how takes lie to each other. */
export const cellOf = (takes: readonly OrientedCloud[]): number =>
  Math.max(1.5 * Math.max(...takes.map((t) => t.features.spacingMm)), Math.max(...takes.map((t) => t.sizeMm)) / 95)

/**
 * Looks both ways for what two takes share.
 * @param a first → common @param b second → common
 * @param wideMm how far apart surfaces may stand and still be told as parallel ones of the same wall
 */
export function sharedSurface(
  first: OrientedCloud,
  second: OrientedCloud,
  a: Motion,
  b: Motion,
  cellMm: number,
  wideMm: number,
  places: readonly [Int32Array, Int32Array],
): SharedSurface {
  const sigma = Math.max(first.features.noiseMm, second.features.noiseMm)
  const spacing = Math.max(first.features.spacingMm, second.features.spacingMm)
  const near = 3 * sigma + spacing
  const room = places[0].length + places[1].length
  const points = new Float32Array(room * 3),
    normals = new Float32Array(room * 3),
    others = new Float32Array(room * 3),
    apart = new Float32Array(room),
    within = new Float64Array(room)
  let count = 0,
    inside = 0
  const met: [number, number] = [0, 0]
  const oneWay = (
    from: OrientedCloud,
    to: OrientedCloud,
    fromCommon: Motion,
    toCommon: Motion,
    sample: Int32Array,
    sign: number,
    side: 0 | 1,
  ): void => {
    const m = compose(invertRigid(toCommon), fromCommon)
    const p = from.positions,
      pn = from.features.normals,
      q = to.positions,
      qn = to.features.normals,
      qb = to.features.boundary
    const reach2 = (wideMm + SIDEWAYS_SPACINGS * spacing) ** 2,
      sideways2 = (SIDEWAYS_SPACINGS * spacing) ** 2
    for (const s of sample) {
      const i = s * 3
      const x = m[0] * p[i] + m[1] * p[i + 1] + m[2] * p[i + 2] + m[3]
      const y = m[4] * p[i] + m[5] * p[i + 1] + m[6] * p[i + 2] + m[7]
      const z = m[8] * p[i] + m[9] * p[i + 1] + m[10] * p[i + 2] + m[11]
      const j = to.tree.nearest(x, y, z, reach2)
      if (j < 0 || qb[j]) continue
      const k = j * 3
      const nx = m[0] * pn[i] + m[1] * pn[i + 1] + m[2] * pn[i + 2]
      const ny = m[4] * pn[i] + m[5] * pn[i + 1] + m[6] * pn[i + 2]
      const nz = m[8] * pn[i] + m[9] * pn[i + 1] + m[10] * pn[i + 2]
      if (nx * qn[k] + ny * qn[k + 1] + nz * qn[k + 2] < MIN_COSINE) continue
      const ux = nx + qn[k],
        uy = ny + qn[k + 1],
        uz = nz + qn[k + 2]
      const dx = x - q[k],
        dy = y - q[k + 1],
        dz = z - q[k + 2]
      const r = (ux * dx + uy * dy + uz * dz) / Math.sqrt(ux * ux + uy * uy + uz * uz)
      if (dx * dx + dy * dy + dz * dz - r * r > sideways2) continue
      if (Math.abs(r) <= near) {
        met[side]++
        within[inside++] = Math.abs(r)
      }
      const at = count * 3
      turnInto(points, at, toCommon, (x + q[k]) / 2, (y + q[k + 1]) / 2, (z + q[k + 2]) / 2, 1)
      turnInto(side === 0 ? normals : others, at, toCommon, nx, ny, nz, 0)
      turnInto(side === 0 ? others : normals, at, toCommon, qn[k], qn[k + 1], qn[k + 2], 0)
      apart[count++] = r * sign
    }
  }
  oneWay(first, second, a, b, places[0], 1, 0)
  oneWay(second, first, b, a, places[1], -1, 1)
  const looked = [places[0].length, places[1].length] as const
  const smaller = looked[0] <= looked[1] ? 0 : 1
  const sizes = within.slice(0, inside).sort()
  let sum = 0
  for (const r of sizes) sum += r * r
  return {
    points: points.slice(0, count * 3),
    normals: normals.slice(0, count * 3),
    others: others.slice(0, count * 3),
    apartMm: apart.slice(0, count),
    // Seen from both sides, so that each place stands for half.
    cellMm2: (cellMm * cellMm) / 2,
    looked,
    met,
    share: looked[smaller] > 0 ? met[smaller] / looked[smaller] : 0,
    areaMm2: areaOfPoints(met[smaller], cellMm),
    scatterMm: sizes.length > 0 ? 1.4826 * median(sizes) : 0,
    expectedMm: Math.hypot(first.features.noiseMm, second.features.noiseMm),
    rmsMm: sizes.length > 0 ? Math.sqrt(sum / sizes.length) : 0,
    p95Mm: sizes.length > 0 ? sizes[Math.min(sizes.length - 1, Math.floor(sizes.length * 0.95))] : 0,
  }
}

/** A place (`shift` 1) or a direction (0) through a motion. */
function turnInto(out: Float32Array, at: number, m: Motion, x: number, y: number, z: number, shift: 0 | 1): void {
  out[at] = m[0] * x + m[1] * y + m[2] * z + m[3] * shift
  out[at + 1] = m[4] * x + m[5] * y + m[6] * z + m[7] * shift
  out[at + 2] = m[8] * x + m[9] * y + m[10] * z + m[11] * shift
}

/**
 * The shared surface in patches of one side of walls: mean distance and its standard error by the places' own scatter.
 */
export function patchesOf(s: SharedSurface, cellMm: number): SharedPatch[] {
  const cells = new CellIndex(s.points, PATCH_CELLS * cellMm)
  const out: SharedPatch[] = []
  for (let c = 0; c < cells.count; c++) {
    const places = cells.items.subarray(cells.start[c], cells.start[c + 1])
    // A cell may hold two sides of a thin wall: they are patches of their own.
    const first = places[0] * 3
    const sides = [
      places.filter((i) => facing(s.normals, i * 3, first) > 0),
      places.filter((i) => facing(s.normals, i * 3, first) <= 0),
    ]
    for (const side of sides) {
      if (side.length < MIN_PLACES) continue
      let mean = 0
      for (const i of side) mean += s.apartMm[i] / side.length
      let scatter = 0
      for (const i of side) scatter += (s.apartMm[i] - mean) ** 2 / (side.length - 1)
      out.push({ places: side, meanMm: mean, errorMm: Math.sqrt(scatter / side.length) })
    }
  }
  return out
}

const facing = (n: Float32Array, i: number, j: number): number =>
  n[i] * n[j] + n[i + 1] * n[j + 1] + n[i + 2] * n[j + 2]
