import { shareOnSurface } from '../measure/on-surface'
import type { TriangleMesh } from '../shapes'
import type { Unfit } from './operation'

/* Places by which an act on a mesh is found again: some of where it was, kept beside it. */

const KEPT_PLACES = 200
/** Of the places, so many must lie on the other mesh. */
const MIN_FOUND = 0.8

/** Some of a list of places, evenly picked: x, y, z … */
export function somePlaces(places: ArrayLike<number>): number[] {
  const n = Math.floor(places.length / 3)
  const step = Math.max(1, n / KEPT_PLACES)
  const out: number[] = []
  for (let i = 0; i < n; i += step) {
    const k = Math.floor(i) * 3
    out.push(places[k], places[k + 1], places[k + 2])
  }
  return out
}

/** The parameters, where enough of an act's places lie on the mesh; why not, where they do not. */
export function fitsWhereItWas<P>(
  params: P,
  places: readonly number[],
  mesh: TriangleMesh,
  withinMm: number,
  what: string,
): P | Unfit {
  const share = shareOnSurface(mesh, places, withinMm)
  return share >= MIN_FOUND ? params : { unfit: `only ${Math.round(share * 100)} % of ${what} lies on the surface now` }
}
