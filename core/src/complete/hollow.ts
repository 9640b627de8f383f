import { vertexNormals } from '../mesh/normals'
import type { Facets } from '../plan/facets'
import { patchesOf } from '../plan/gaps'
import type { TriangleMesh } from '../shapes'

/*
 * A closed estimate seals every hollow where sight ended. Where what was seen dives in round such a seal, the piece may
 * go on hollow: the other hypothesis is a shell as thick as the rim, down to the bottom.
 */

export interface Mouth {
  /** Facets of the seal. */
  readonly facets: readonly number[]
  /** Where it lies, and which way it opens. */
  readonly centre: readonly [number, number, number]
  readonly axis: readonly [number, number, number]
  readonly wallMm: number
  readonly areaMm2: number
  /** Its rim was seen diving in; otherwise it is only a flat seal, which may hide a hollow that the brief speaks of. */
  readonly seen: boolean
}

/** A seal smaller than this share of the surface is no mouth worth the name. */
const MIN_SHARE = 0.025
/** The seen surface round a mouth faces its middle by this cosine or more, in most of the sectors round it. */
const FACES_IN = 0.3
const SECTORS = 12
const SECTORS_ROUND = 10
/**
 * A seal is flat when its mean normal is this long; a wall nobody saw is taken for this share of the square root of the
 * surface.
 */
const FLAT = 0.8
const UPWARD = 0.6
const ALL_ROUND = 0.25
const UP: [number, number, number] = [0, 0, 1]
const USUAL_WALL = 0.018
/** Wall thickness is looked for up to this share of the size. */
const THICKEST = 0.2

/** Seals of hollows among the facets that no frame saw: those whose rim was seen first, the largest first. */
export function findMouths(facets: Facets, seen: (f: number) => boolean): Mouth[] {
  const { centres: c, normals: n, areas } = facets
  const hidden = Array.from({ length: facets.count }, (_, f) => f).filter((f) => !seen(f))
  const out: Mouth[] = []
  for (const list of patchesOf(facets, hidden, () => '')) {
    const { area, centre, axis: lean } = middleOf(list)
    if (area < MIN_SHARE * facets.totalAreaMm2) continue
    const around = neighboursOf(facets, list, seen)
    if (around.length < SECTORS) continue
    const rim = middleOf(around).centre
    const flat = Math.hypot(...lean)
    const down = [0, 1, 2].map((k) => rim[k] - centre[k])
    const radius = Math.sqrt(around.reduce((s, f) => s + distance2(c, f, rim), 0) / around.length)
    // A seal that dips in lies below its rim; a flat one tells by its normal; one that goes all round tells nothing.
    const axis = flat < ALL_ROUND ? UP : unit(Math.hypot(...down) > 0.3 * radius ? down : lean)
    const side = perpendicular(axis)
    const other = [0, 1, 2].map((k) => axis[(k + 1) % 3] * side[(k + 2) % 3] - axis[(k + 2) % 3] * side[(k + 1) % 3])
    const sectors = new Set<number>()
    const inner: number[] = []
    for (const f of around) {
      const d = [0, 1, 2].map((k) => rim[k] - c[f * 3 + k])
      const along = d.reduce((s, v, k) => s + v * axis[k], 0)
      const across = d.map((v, k) => v - along * axis[k])
      const l = Math.hypot(...across)
      if (l < 1e-6 || across.reduce((s, v, k) => s + v * n[f * 3 + k], 0) / l < FACES_IN) continue
      inner.push(f)
      const u = across.reduce((s, v, k) => s + v * side[k], 0),
        w = across.reduce((s, v, k) => s + v * other[k], 0)
      sectors.add(Math.floor((Math.atan2(w, u) / (2 * Math.PI) + 0.5) * SECTORS))
    }
    const mouth = { facets: list, centre: rim, axis, areaMm2: area }
    // Vessels open upwards.
    if (axis[2] < UPWARD) continue
    if (sectors.size >= SECTORS_ROUND) out.push({ ...mouth, wallMm: wallAt(facets, inner, seen), seen: true })
    else if (flat > FLAT) out.push({ ...mouth, wallMm: USUAL_WALL * Math.sqrt(facets.totalAreaMm2), seen: false })
  }
  return out.sort((x, y) => Number(y.seen) - Number(x.seen) || y.areaMm2 - x.areaMm2)

  function middleOf(list: readonly number[]): { area: number; centre: [number, number, number]; axis: number[] } {
    let area = 0
    const centre: [number, number, number] = [0, 0, 0],
      axis = [0, 0, 0]
    for (const f of list) {
      area += areas[f]
      for (let k = 0; k < 3; k++) {
        centre[k] += areas[f] * c[f * 3 + k]
        axis[k] += areas[f] * n[f * 3 + k]
      }
    }
    for (let k = 0; k < 3; k++) {
      centre[k] /= area
      axis[k] /= area
    }
    return { area, centre, axis }
  }
}

/** Seen facets within about two edges of a patch. */
function neighboursOf(facets: Facets, list: readonly number[], seen: (f: number) => boolean): number[] {
  const cell = 2 * facets.edgeMm
  const c = facets.centres
  const at = (f: number, k: number): number => Math.floor(c[f * 3 + k] / cell)
  const taken = new Set(list.map((f) => `${at(f, 0)} ${at(f, 1)} ${at(f, 2)}`))
  return Array.from({ length: facets.count }, (_, f) => f).filter((f) => {
    if (!seen(f)) return false
    for (let dz = -1; dz <= 1; dz++)
      for (let dy = -1; dy <= 1; dy++)
        for (let dx = -1; dx <= 1; dx++)
          if (taken.has(`${at(f, 0) + dx} ${at(f, 1) + dy} ${at(f, 2) + dz}`)) return true
    return false
  })
}

function unit(v: readonly number[]): [number, number, number] {
  const l = Math.hypot(...v) || 1
  return [v[0] / l, v[1] / l, v[2] / l]
}

function perpendicular(a: readonly number[]): number[] {
  const helper = Math.abs(a[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0]
  const v = [0, 1, 2].map((k) => a[(k + 1) % 3] * helper[(k + 2) % 3] - a[(k + 2) % 3] * helper[(k + 1) % 3])
  const l = Math.hypot(...v)
  return v.map((x) => x / l)
}

function distance2(c: Float32Array, f: number, m: readonly number[]): number {
  return (c[f * 3] - m[0]) ** 2 + (c[f * 3 + 1] - m[1]) ** 2 + (c[f * 3 + 2] - m[2]) ** 2
}

/** Median distance from the inner wall at the rim to the nearest seen surface that faces the other way. */
function wallAt(facets: Facets, rim: readonly number[], seen: (f: number) => boolean): number {
  const { centres: c, normals: n } = facets
  const most = THICKEST * Math.sqrt(facets.totalAreaMm2 / 4)
  const found: number[] = []
  const step = Math.max(1, Math.floor(rim.length / 60))
  for (let i = 0; i < rim.length; i += step) {
    const f = rim[i]
    let best = most * most
    for (let g = 0; g < facets.count; g++) {
      if (n[f * 3] * n[g * 3] + n[f * 3 + 1] * n[g * 3 + 1] + n[f * 3 + 2] * n[g * 3 + 2] > -0.5 || !seen(g)) continue
      const d = distance2(c, g, [c[f * 3], c[f * 3 + 1], c[f * 3 + 2]])
      if (d < best) best = d
    }
    found.push(Math.sqrt(best))
  }
  found.sort((a, b) => a - b)
  return found[found.length >> 1]
}

/**
 * The surface if the piece goes on hollow behind a mouth: without the seal, and with the inside of the wall, which is
 * the estimate set in by the wall's thickness and turned about, below the mouth. Not sewn together: it is only looked
 * at.
 */
export function hollowVariant(mesh: TriangleMesh, facets: Facets, mouth: Mouth): TriangleMesh {
  const { positions: p, indices } = mesh
  const seal = new Set(mouth.facets)
  // Which faces the seal's facets came from: those whose middle lies on one of them is costly to ask; the seal is cut
  // by place instead.
  const cell = facets.edgeMm * 1.5
  const key = (x: number, y: number, z: number): string =>
    `${Math.floor(x / cell)} ${Math.floor(y / cell)} ${Math.floor(z / cell)}`
  const sealed = new Map<string, number>()
  for (let f = 0; f < facets.count; f++) {
    const k = key(facets.centres[f * 3], facets.centres[f * 3 + 1], facets.centres[f * 3 + 2])
    sealed.set(k, (sealed.get(k) ?? 0) + (seal.has(f) ? 1 : -1))
  }
  const normals = vertexNormals(mesh)
  const outPositions: number[] = Array.from(p)
  const kept: number[] = [],
    inner: number[] = []
  for (let f = 0; f < indices.length; f += 3) {
    const v = [indices[f], indices[f + 1], indices[f + 2]]
    const m = [0, 1, 2].map((k) => (p[v[0] * 3 + k] + p[v[1] * 3 + k] + p[v[2] * 3 + k]) / 3)
    const inSeal = (sealed.get(key(m[0], m[1], m[2])) ?? -1) > 0
    if (!inSeal) kept.push(...v)
    const depth = [0, 1, 2].reduce((s, k) => s + (mouth.centre[k] - m[k]) * mouth.axis[k], 0)
    if (inSeal || depth < 0) continue
    const base = outPositions.length / 3
    for (let c = 2; c >= 0; c--)
      for (let k = 0; k < 3; k++) outPositions.push(p[v[c] * 3 + k] - mouth.wallMm * normals[v[c] * 3 + k])
    inner.push(base, base + 1, base + 2)
  }
  return { kind: 'mesh', positions: Float32Array.from(outPositions), indices: Uint32Array.from([...kept, ...inner]) }
}
