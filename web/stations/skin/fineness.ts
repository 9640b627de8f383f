import { spacingForFaces, type SkinAsked, type SkinGround } from '@holosoma/core/fuse'
import { positiveNumber } from '@/components/ui/number-field'

/** How the triangles are asked for. */
export type Triangles = 'even' | 'flat' | 'count' | 'dense'

/** How fine a skin is asked for, as it is typed. */
export interface Typed {
  readonly kind: Triangles
  readonly spacing: string
  readonly count: string
}

/** What is asked of the operation; null while what was typed is no number. */
export interface Asked extends SkinAsked {
  readonly spacingMm: number
  readonly triangles: number | null
  readonly dense: boolean
  readonly largeWhereFlat: boolean
}

/** @param ground what the skin will cover: a number of triangles says nothing without it */
export function askedFor({ kind, spacing, count }: Typed, ground: SkinGround | null): Asked | null {
  const kinds = { dense: kind === 'dense', largeWhereFlat: kind === 'flat' }
  if (kind === 'count') {
    const triangles = positiveNumber(count)
    if (triangles === null || !Number.isInteger(triangles) || !ground || !(ground.areaMm2 > 0)) return null
    return { ...kinds, triangles, spacingMm: spacingForFaces(ground.areaMm2, triangles) }
  }
  const spacingMm = positiveNumber(spacing)
  return spacingMm === null ? null : { ...kinds, triangles: null, spacingMm }
}

/** Why so many triangles come. */
export function triangleRule({ kind }: Typed, asked: Asked): string {
  if (kind === 'count') return `edges of about ${Number(asked.spacingMm.toPrecision(2))} mm`
  if (kind === 'dense') return '9 triangles for each square of the spacing'
  if (kind === 'flat') return 'at most; the flatter it is, the fewer'
  return '2.3 triangles for each square of the spacing'
}
