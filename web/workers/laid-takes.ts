import { identityMotion, motionFromRows, type Motion, type PointCloud } from '@holosoma/core'
import { fetchShape } from './fetch-shape'

/** A take by its shape, where the join puts it. */
export interface LaidTake {
  readonly hash: string
  /** null: it stays where it is. */
  readonly rows: number[][] | null
}

/** Takes as operations are given them, under names of their own. */
export async function groundOf(takes: readonly LaidTake[]): Promise<{
  takes: readonly PointCloud[]
  names: string[]
  motions: { kind: 'motions'; motions: Record<string, Motion> }
}> {
  const laid = await cloudsOf(takes, 'whole')
  const names = laid.map((_, i) => String(i))
  const motions = Object.fromEntries(laid.map(({ motion }, i) => [names[i], motion]))
  return { takes: laid.map(({ cloud }) => cloud), names, motions: { kind: 'motions', motions } }
}

export const cloudsOf = (
  takes: readonly LaidTake[],
  detail: 'preview' | 'whole',
): Promise<{ cloud: PointCloud; motion: Motion }[]> =>
  Promise.all(
    takes.map(async ({ hash, rows }) => {
      const shape = await fetchShape(hash, detail)
      const { positions, normals } = shape
      const cloud: PointCloud =
        shape.kind === 'cloud' ? shape : { kind: 'cloud', positions, ...(normals && { normals }) }
      return { cloud, motion: rows ? motionFromRows(rows, 'take') : identityMotion() }
    }),
  )
