import { compose, GeometryError, type Motion, type PickPair, type PointCloud } from '@holosoma/core'
import { shiftMotion } from '@holosoma/core/linear'

/**
 * Takes far from zero are held near their own origin so that Float32 keeps its digits; files speak in the coordinates
 * of the scan files. These turn one into the other at the border of the command line.
 */
const originOf = (take: PointCloud | undefined): readonly [number, number, number] => take?.originMm ?? [0, 0, 0]

/** A motion of the files, take → fixed take, for the takes as they are held. */
export function localMotion(outer: Motion, take: PointCloud, fixed: PointCloud | undefined): Motion {
  const a = originOf(take),
    b = originOf(fixed)
  return compose(shiftMotion(-b[0], -b[1], -b[2]), compose(outer, shiftMotion(...a)))
}

/** Motions of the takes as they are held, in the coordinates of the files. */
export function outerMotions(
  local: Readonly<Record<string, Motion>>,
  names: readonly string[],
  takes: readonly PointCloud[],
  fixed: string,
): Record<string, Motion> {
  const b = originOf(takes[names.indexOf(fixed)])
  return Object.fromEntries(
    Object.entries(local).map(([name, m]) => {
      const a = originOf(takes[names.indexOf(name)])
      return [name, compose(shiftMotion(...b), compose(m, shiftMotion(-a[0], -a[1], -a[2])))]
    }),
  )
}

export function localPicks(pairs: unknown, names: readonly string[], takes: readonly PointCloud[]): PickPair[] {
  if (!Array.isArray(pairs))
    throw new GeometryError(
      'FORMAT',
      'A picks file holds { "pairs": [ { "a": { "take", "at": [x, y, z] }, "b": … } ] }.',
    )
  const near = (end: PickPair['a']): PickPair['a'] => {
    const o = originOf(takes[names.indexOf(end?.take)])
    return Array.isArray(end?.at) ? { ...end, at: end.at.map((v, c) => v - o[c]) } : end
  }
  return (pairs as PickPair[]).map((p) => ({ a: near(p?.a), b: near(p?.b) }))
}
