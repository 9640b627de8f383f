import type { JudgedPair } from '../judge/slides'

/* The links that hold joined takes together, and what lies on either side of one. */

/**
 * Links by informative overlap: the pair whose weakest motion is held best goes first (Kruskal 1956); what shape
 * matching trusted comes before.
 */
export function spanningTree(
  members: readonly number[],
  pairs: readonly JudgedPair[],
  playMm: readonly number[],
  groups: readonly number[],
  order: readonly { readonly a: number; readonly b: number }[],
): [number, number][] {
  const root = new Map(members.map((i) => [i, i]))
  const find = (i: number): number => (root.get(i) === i ? i : find(root.get(i)!))
  for (const i of members) for (const j of members) if (groups[i] === groups[j]) root.set(find(j), find(i))
  const informative = [...pairs.keys()]
    .sort((p, q) =>
      playMm[p] === playMm[q] ? pairs[q].shared.areaMm2 - pairs[p].shared.areaMm2 : playMm[p] - playMm[q],
    )
    .map((i): [number, number] => [pairs[i].a, pairs[i].b])
  const ranked = [...order.map((l): [number, number] => [l.a, l.b]), ...informative]
  const tree: [number, number][] = []
  for (const [a, b] of ranked)
    if (root.has(a) && root.has(b) && find(a) !== find(b)) {
      root.set(find(b), find(a))
      tree.push([a, b])
    }
  return tree
}

/** What hangs together on either side of a link. */
export function cutOf(
  link: readonly [number, number],
  tree: readonly (readonly [number, number])[],
  members: readonly number[],
  groups: readonly number[],
): { movers: number[]; stayers: number[] } {
  const side = new Set([link[0]])
  for (let grew = true; grew;) {
    grew = false
    for (const i of members)
      if (
        !side.has(i) &&
        (tree.some((l) => l !== link && ((l[0] === i && side.has(l[1])) || (l[1] === i && side.has(l[0])))) ||
          [...side].some((s) => groups[s] === groups[i]))
      ) {
        side.add(i)
        grew = true
      }
  }
  const other = members.filter((i) => !side.has(i))
  return side.size <= other.length ? { movers: [...side], stayers: other } : { movers: other, stayers: [...side] }
}

/** Whether two lists of takes together are a third one. */
export const sameSet = (a: readonly number[], b: readonly number[], c: readonly number[]): boolean =>
  [b, c].some((s) => s.length === a.length && s.every((v) => a.includes(v)))

/** Middle of what pairs share. */
export function centreOf(pairs: readonly JudgedPair[]): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0]
  let n = 0
  for (const { shared } of pairs) {
    for (let i = 0; i < shared.points.length; i++) out[i % 3] += shared.points[i]
    n += shared.points.length / 3
  }
  return n > 0 ? [out[0] / n, out[1] / n, out[2] / n] : out
}
