import { UnionFind } from '../spatial/union-find'
import { INSIDE_SHARE, SEEN } from './assess'
import { OPEN_DIRECTIONS } from './coverage'
import type { Facets } from './facets'

/*
 * Where a plan leaves something unseen: patches of facets that touch and face the same side, told by their place on the
 * standing piece.
 */

export interface Gap {
  readonly areaMm2: number
  /** A point of the patch, near its middle; mm. */
  readonly at: readonly [number, number, number]
  /** As a person would say where it is. */
  readonly place: string
}

/** Patches smaller than this share of the surface are not told. */
const MIN_SHARE = 0.002
const MAX = 4

/** The largest patches that could be seen and are not planned, largest first. */
export function openPatches(facets: Facets, classes: Uint8Array, openness: Uint8Array): Gap[] {
  return gapsOf(facets, classes, openness).map(({ facets: _, ...gap }) => gap)
}

/** The same, each with the facets that make it up. */
export function gapsOf(
  facets: Facets,
  classes: Uint8Array,
  openness: Uint8Array,
): (Gap & { readonly facets: readonly number[] })[] {
  const open = Array.from({ length: facets.count }, (_, i) => i).filter((i) => classes[i] === SEEN.open)
  const patches = patchesOf(facets, open, (i) =>
    sideOf(facets.normals[i * 3], facets.normals[i * 3 + 1], facets.normals[i * 3 + 2]),
  )
  let low = Infinity,
    high = -Infinity
  for (let i = 2; i < facets.centres.length; i += 3) {
    low = Math.min(low, facets.centres[i])
    high = Math.max(high, facets.centres[i])
  }
  return patches
    .map((list) => ({ ...gapOf(facets, list, openness, low, high), facets: list }))
    .filter((g) => g.areaMm2 >= MIN_SHARE * facets.totalAreaMm2)
    .sort((a, b) => b.areaMm2 - a.areaMm2)
    .slice(0, MAX)
}

/** Facets gathered into patches that touch and have the same side. */
export function patchesOf(facets: Facets, chosen: readonly number[], side: (facet: number) => string): number[][] {
  const join = new UnionFind(chosen.length)
  // Facets share corners; their coordinates come from the same edges and agree to the last bits.
  const corners = new Map<string, number>()
  chosen.forEach((i, k) => {
    const mine = side(i)
    for (let c = 0; c < 3; c++) {
      const o = i * 9 + c * 3
      const key =
        `${mine} ${Math.round(facets.corners[o] * 200)} ${Math.round(facets.corners[o + 1] * 200)} ` +
        `${Math.round(facets.corners[o + 2] * 200)}`
      const other = corners.get(key)
      if (other === undefined) corners.set(key, k)
      else join.union(k, other)
    }
  })
  const patches = new Map<number, number[]>()
  chosen.forEach((i, k) => {
    const root = join.find(k)
    const list = patches.get(root)
    if (list) list.push(i)
    else patches.set(root, [i])
  })
  return [...patches.values()]
}

function gapOf(facets: Facets, list: readonly number[], openness: Uint8Array, low: number, high: number): Gap {
  const middle = [0, 0, 0],
    normal = [0, 0, 0]
  let area = 0,
    shut = 0
  for (const i of list) {
    const a = facets.areas[i]
    area += a
    if (openness[i] < OPEN_DIRECTIONS * INSIDE_SHARE) shut += a
    for (let c = 0; c < 3; c++) {
      middle[c] += a * facets.centres[i * 3 + c]
      normal[c] += a * facets.normals[i * 3 + c]
    }
  }
  const distance = (i: number): number =>
    [0, 1, 2].reduce((s, c) => s + (facets.centres[i * 3 + c] - middle[c] / area) ** 2, 0)
  const nearest = list.reduce((a, b) => (distance(b) < distance(a) ? b : a))
  const height = (middle[2] / area - low) / Math.max(high - low, 1e-9)
  return {
    areaMm2: area,
    at: [facets.centres[nearest * 3], facets.centres[nearest * 3 + 1], facets.centres[nearest * 3 + 2]],
    place:
      shut > area / 2
        ? 'inside a hollow'
        : placeWords(
            normal.map((v) => v / area),
            height,
          ),
  }
}

function sideOf(x: number, y: number, z: number): string {
  if (z < -0.6) return 'on the underside'
  if (z > 0.6) return 'on top'
  return Math.abs(x) > Math.abs(y)
    ? x > 0
      ? 'on the right side'
      : 'on the left side'
    : y > 0
      ? 'at the back'
      : 'at the front'
}

/** A side by where it faces, and high or low on the sides. */
function placeWords([x, y, z]: number[], height: number): string {
  const side = sideOf(x, y, z)
  return /underside|top/.test(side) ? side : `${side}${height < 0.33 ? ', low' : height > 0.67 ? ', high' : ''}`
}
