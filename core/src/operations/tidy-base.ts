import { estimateFeaturesShared } from '../cloud/normals'
import type { Plane } from '../cloud/plane'
import type { RunContext } from '../context'
import { GeometryError } from '../errors'
import { indicesWhere, type PointCloud } from '../shapes'
import { findTable } from '../tidy/table'
import type { Figures } from './operation'
import { cutOrSelect } from './selection'

/** Points within this of a plane may be the table's, mm. */
export const TABLE_BAND_MM = 0.5

/** A cloud's own normals, or estimated ones. */
export const withNormals = async (
  cloud: PointCloud,
  context: RunContext,
): Promise<PointCloud & { readonly normals: Float32Array }> => ({
  ...cloud,
  normals: cloud.normals ?? (await estimateFeaturesShared(cloud, context)).normals,
})

/** Work and memory of an operation that looks at every point of a take a few times. */
export const perPoint =
  (visits: number) =>
  ({ take: { positions } }: { readonly take: PointCloud }): { work: number; bytes: number } => {
    return { work: (visits * positions.length) / 3e6, bytes: positions.byteLength * 4 }
  }

/** What a tidy operation gives: the points whose mask is 1 go. @throws EMPTY when nothing would be left */
export function without(
  cloud: PointCloud,
  goes: Uint8Array,
  apply: boolean,
  left: string,
): { outputs: ReturnType<typeof cutOrSelect>; figures: { before: number; cut: number; share: number } } {
  const cut = indicesWhere(goes, 1).length
  if (cut === goes.length) throw new GeometryError('EMPTY', left)
  return {
    outputs: cutOrSelect(
      cloud,
      goes.map((g) => 1 - g),
      apply,
    ),
    figures: { before: goes.length, cut, share: cut / goes.length },
  }
}

/**
 * The plane a take stands on: a given one (normal and offset, as a table's figures hold it), the table found, or the
 * level through its lowest points.
 */
export function standOf(
  cloud: PointCloud & { readonly normals: Float32Array },
  given: readonly number[] | null,
  context: RunContext,
): { plane: Pick<Plane, 'normal' | 'offsetMm'>; from: 'given' | 'table' | 'lowest' } {
  if (given) {
    const l = Math.hypot(given[0], given[1], given[2])
    if (!(l > 0)) throw new GeometryError('PARAMS', 'The plane has no direction.')
    return { plane: { normal: [given[0] / l, given[1] / l, given[2] / l], offsetMm: given[3] / l }, from: 'given' }
  }
  const table = findTable(cloud, context, { bandMm: TABLE_BAND_MM })
  if (table?.signs.isTable) return { plane: table.plane, from: 'table' }
  const z = Float32Array.from({ length: cloud.positions.length / 3 }, (_, i) => cloud.positions[i * 3 + 2]).sort()
  return { plane: { normal: [0, 0, 1], offsetMm: z[Math.floor(0.001 * z.length)] }, from: 'lowest' }
}

/** The table's plane as figures of a step keep it; null where there is none. */
export function planeOfFigures(f: Figures): [number, number, number, number] | null {
  return typeof f.planeX === 'number' && f.table !== false
    ? [f.planeX, Number(f.planeY), Number(f.planeZ), Number(f.planeOffsetMm)]
    : null
}
