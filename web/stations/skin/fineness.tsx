'use client'
import { spacingForFaces, type SkinAsked, type SkinGround } from '@holosoma/core/fuse'
import { Choice, NumberField, positiveNumber } from '@/components/ui'

/** How the triangles are asked for. */
export type Triangles = 'even' | 'flat' | 'count' | 'dense'

const KINDS = [
  ['even', 'Even, edges of one spacing'],
  ['flat', 'Larger where it is flat'],
  ['count', 'So many of them'],
  ['dense', 'All of the grid’s'],
] as const

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

/** The two fields that say how fine: which kind of triangles, and their spacing or number. */
export function Fineness({ typed, onChange }: { typed: Typed; onChange: (change: Partial<Typed>) => void }) {
  return (
    <>
      <label className="grid gap-1 text-[13px]">
        Triangles
        <Choice label="Triangles" value={typed.kind} options={KINDS} onChange={(kind) => onChange({ kind })} />
      </label>
      {typed.kind === 'count' ? (
        <NumberField label="How many" value={typed.count} onChange={(e) => onChange({ count: e.target.value })} />
      ) : (
        <NumberField
          label="Spacing"
          unit="mm"
          value={typed.spacing}
          onChange={(e) => onChange({ spacing: e.target.value })}
        />
      )}
    </>
  )
}
