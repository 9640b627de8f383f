import { lookOf } from '@holosoma/core/select'
import type { Outlined } from '@/components/draw-overlay'
import { positiveNumber } from '@/components/ui'
import { geometry } from '@/lib/geometry'
import { useDesk } from '@/lib/store'
import type { Ray } from '@/stage/stage'
import type { Place } from './desk'

/* What a pointer draws on the skin becomes a region there: an outline with its view, or the path of a brush. */

/** A record of an act keeps its places to a thousandth of a millimetre. */
const tidy = (v: number): number => Math.round(v * 1000) / 1000

/** What is drawn anew takes the place of what was drawn before. */
export const outlinePart: Outlined = async (polygon, view) => {
  const { partFront, set } = useDesk.getState()
  set({
    spots: [],
    drawn: {
      kind: 'lasso',
      polygon: polygon.map((v) => Math.round(v * 10) / 10),
      matrix: Array.from(view.matrix),
      width: view.width,
      height: view.height,
      front: partFront ? lookOf(view) : null,
    },
  })
}

/** A brush on the skin: its path grows stretch by stretch, over the places under the pointer. */
export function paintPart(hash: string): { begin(): void; stretch(rays: readonly Ray[]): Promise<void> } {
  return {
    begin: () => useDesk.getState().set({ spots: [], drawn: null }),
    async stretch(rays) {
      const radiusMm = positiveNumber(useDesk.getState().partMm)
      if (radiusMm === null) throw new Error('The brush must be wider than 0 mm.')
      const hits = await Promise.all(rays.map((r) => geometry(hash).pick(hash, r.origin, r.direction, r.radiusMm)))
      const places = hits.flatMap((h): Place[] => (h ? [h.at.map(tidy) as unknown as Place] : []))
      if (places.length === 0) return
      const { drawn, set } = useDesk.getState()
      const before = drawn?.kind === 'brush' ? drawn.path : []
      const side = rays[0].direction.map((v) => -v) as [number, number, number]
      set({ drawn: { kind: 'brush', path: [...before, ...places], radiusMm, side } })
    },
  }
}
