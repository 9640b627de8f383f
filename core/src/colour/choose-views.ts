import { allocate } from '../parallel/allocate'

/** No photo. */
export const NOBODY = 65535

export interface Views {
  /** faces×most: the photos that show each face best, NOBODY behind the last. */
  readonly photos: Uint16Array
  /** What a photo's score must exceed at a face to count: that of the best one left out, so that none begins at once. */
  readonly base: Uint8Array
  readonly most: number
}

/**
 * The photos that show each face best: seen by all three corners, by the mean of their scores.
 * @param scores photos×points
 * @param most photos a face
 */
export function chooseViews(
  indices: Uint32Array,
  scores: Uint8Array,
  photos: number,
  most: number,
  shared: boolean,
): Views {
  const faces = indices.length / 3
  const points = scores.length / photos
  const out = allocate(Uint16Array, faces * most, shared).fill(NOBODY)
  const base = allocate(Uint8Array, faces, shared)
  const best = new Float64Array(most + 1),
    who = new Int32Array(most + 1)
  for (let f = 0; f < faces; f++) {
    const a = indices[f * 3],
      b = indices[f * 3 + 1],
      c = indices[f * 3 + 2]
    let count = 0
    for (let p = 0, at = 0; p < photos; p++, at += points) {
      const sa = scores[at + a],
        sb = scores[at + b],
        sc = scores[at + c]
      if (sa === 0 || sb === 0 || sc === 0) continue
      const score = sa + sb + sc
      if (count > most && score <= best[most]) continue
      let k = Math.min(count, most)
      while (k > 0 && best[k - 1] < score) {
        best[k] = best[k - 1]
        who[k] = who[k - 1]
        k--
      }
      best[k] = score
      who[k] = p
      if (count <= most) count++
    }
    for (let k = 0; k < Math.min(count, most); k++) out[f * most + k] = who[k]
    if (count > most) base[f] = Math.floor(best[most] / 3)
  }
  return { photos: out, base, most }
}
