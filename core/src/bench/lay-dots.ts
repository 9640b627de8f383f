import { cutFacets } from '../plan/facets'
import { dotsOnMat, dotsOnPiece, dotsOnStands, standsFor, type DotSettings } from '../plan/dots'
import { place, type PlannedTake } from '../plan/takes'
import type { DotPlace } from './dots'
import type { DemoPiece } from './pieces'
import { coarseMesh } from './scene'

/** The dots a plan asks for, stuck on the true piece or laid on mat or stands about it. */
export function layDots(piece: DemoPiece, take: PlannedTake, settings: DotSettings): DotPlace[] {
  if (settings.where === 'none') return []
  const mesh = coarseMesh(piece)
  const { radiusMm, heightMm } = place(take, mesh.positions)
  const layout =
    settings.where === 'piece'
      ? dotsOnPiece(settings, cutFacets(mesh))
      : settings.where === 'mat'
        ? dotsOnMat(settings, radiusMm)
        : dotsOnStands(settings, standsFor(settings, radiusMm, heightMm))
  const { positions: p, normals: n, space } = layout
  return Array.from({ length: p.length / 3 }, (_, i) => ({
    space,
    at: [p[i * 3], p[i * 3 + 1], p[i * 3 + 2]],
    normal: [n[i * 3], n[i * 3 + 1], n[i * 3 + 2]],
    radiusMm: settings.diameterMm / 2,
  }))
}
