import { identityMotion } from '@holosoma/core'
import { movedRegion, type MeshRegion } from '@holosoma/core/select'
import type { KeptPart } from '@holosoma/core/operations'

/** Places that tell of an area: more say no more. */
const MOST_PLACES = 4000

/** A part that was kept, on a skin that is `grown` times as large as its takes. */
export const keptRegion = ({ region, scale }: KeptPart, grown: number): MeshRegion =>
  movedRegion(region, { scale: grown / scale, motion: identityMotion() })

/**
 * An area of the brief as a part of the skin: places that stand for its points, one in each box of a grid that is as fine
 * as their number allows, and how far round each it reaches; null where the area has none.
 * @param positions x, y, z of the drawn skin's points, mm @param areaOf the area each lies in, −1 for none
 */
export function placesOfArea(positions: Float32Array, areaOf: Int16Array, area: number): MeshRegion | null {
  const mine: number[] = []
  for (let v = 0; v < areaOf.length; v++) if (areaOf[v] === area) mine.push(v)
  if (mine.length === 0) return null
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity]
  for (const v of mine)
    for (let c = 0; c < 3; c++) {
      low[c] = Math.min(low[c], positions[v * 3 + c])
      high[c] = Math.max(high[c], positions[v * 3 + c])
    }
  let edgeMm = Math.max(...high.map((h, c) => h - low[c])) / 256 || 1
  for (;;) {
    const boxes = new Map<string, number>()
    for (const v of mine) {
      const key = [0, 1, 2].map((c) => Math.floor((positions[v * 3 + c] - low[c]) / edgeMm)).join()
      if (!boxes.has(key)) boxes.set(key, v)
    }
    if (boxes.size <= MOST_PLACES) {
      const places = [...boxes.values()].flatMap((v) => [...positions.subarray(v * 3, v * 3 + 3)])
      // A box's place may lie at one end of it, and a face's middle at the other.
      return { kind: 'near', places, reachMm: edgeMm * 1.5 }
    }
    edgeMm *= 1.4
  }
}
