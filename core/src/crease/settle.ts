import { flipForAngles, flipForValence } from '../remesh/flips'
import { folds, middleAround } from '../remesh/relax'
import { CORNER, layOn, ON_LINE, ON_SHEET, STAYS, type CutMesh } from './cut-in'
import { FaceJudge } from './facing'
import type { Places } from './places'

const ROUNDS = 4
/** Points beside a line that are nearer to one of its points than this share of an edge go into it. */
const SHORT_TO_LINE = 0.6
/** Points of a line stand so far apart at least, in the same. */
const SHORT_ON_LINE = 0.55
/** Faces round a point after an edge there has gone. */
const MOST_FACES = 11

/**
 * Evens out the triangles beside the lines; what lies on a sheet stays on it, and lines stay lines.
 * @returns middles of faces that do not come to face as their sheet does, xyz mm
 */
export function settle(cut: CutMesh, places: Places): number[] {
  const { working, kind, lines } = cut
  const { topology } = working
  const judge = new FaceJudge(cut, places)
  const isHeld = (h: number): boolean => {
    const a = topology.origin(h),
      b = topology.tip(h)
    if ((kind[a] === STAYS && kind[b] === STAYS) || lines.has(a, b)) return true
    const t = topology.twin(h)
    if (t < 0) return true
    // Turned, an edge must not make worse what faces as it should.
    const c = topology.apex(h),
      d = topology.apex(t)
    const now = (judge.isSound(a, b, c) ? 0 : 1) + (judge.isSound(b, a, d) ? 0 : 1)
    return (judge.isSound(a, d, c) ? 0 : 1) + (judge.isSound(d, b, c) ? 0 : 1) > now
  }
  for (let round = 0; round < ROUNDS; round++) {
    shorten(cut, judge)
    flipForValence(working, isHeld)
    if (round === 0) flipForAngles(working, isHeld)
    relaxOnSheets(cut, places)
    takeOutTurned(cut, judge)
  }
  flipForAngles(working, isHeld)
  relaxOnSheets(cut, places)
  takeOutTurned(cut, judge)
  return turnedFaces(cut, judge)
}

/**
 * Takes away points that stand too close to a line's, and points of a line that stand too close to each other. A point
 * that goes leaves no more faces turned than there were.
 */
function shorten({ working, kind, lines }: CutMesh, judge: FaceJudge): void {
  const { topology } = working
  for (let h = 0; h < topology.halfEdges; h++) {
    if (topology.isGone(h)) continue
    const goes = topology.origin(h),
      stays = topology.tip(h)
    if (kind[stays] < ON_LINE || kind[goes] === STAYS || kind[goes] === CORNER) continue
    const onLine = kind[goes] === ON_LINE
    if (onLine && !lines.has(goes, stays)) continue
    const least = (onLine ? SHORT_ON_LINE : SHORT_TO_LINE) * working.wanted(h)
    if (working.squaredLength(h) >= least * least) continue
    if (topology.valence(goes) + topology.valence(stays) - 4 > MOST_FACES) continue
    if (onLine) {
      const ends = lines.from(goes)
      if (ends.length !== 2) continue
      if (lines.has(ends[0], ends[1])) continue
    }
    if (!topology.canCollapse(h)) continue
    if (judge.unsoundIf(goes, stays) > judge.unsoundAround(goes)) continue
    topology.shrink(h)
    if (onLine) lines.merge(stays, goes)
  }
}

/** Takes a corner of each face that is turned into one beside it, where fewer are turned then. */
function takeOutTurned({ working, kind }: CutMesh, judge: FaceJudge): void {
  const { topology } = working
  for (let f = 0; f < topology.halfEdges; f += 3) {
    if (topology.isGone(f) || judge.isSound(topology.origin(f), topology.origin(f + 1), topology.origin(f + 2)))
      continue
    let best = -1,
      least = 0
    for (let c = 0; c < 3; c++) {
      const goes = topology.origin(f + c)
      if (kind[goes] !== ON_SHEET) continue
      const now = judge.unsoundAround(goes)
      for (const h of topology.outgoing(goes)) {
        const stays = topology.tip(h)
        if (kind[stays] === STAYS || topology.valence(goes) + topology.valence(stays) - 4 > MOST_FACES) continue
        const better = now - judge.unsoundIf(goes, stays)
        if (better <= least || !topology.canCollapse(h)) continue
        least = better
        best = h
      }
    }
    if (best >= 0) topology.shrink(best)
  }
}

const middle = new Float64Array(3),
  normal = new Float64Array(3),
  at = new Float64Array(3)

/** Moves each point to the middle of the faces round it along its sheet, those of a line along the line. */
function relaxOnSheets(cut: CutMesh, places: Places): void {
  const { working, kind, lines } = cut
  const { topology, places: p } = working
  for (let v = 0; v < topology.points; v++) {
    if (kind[v] === STAYS || kind[v] === CORNER || topology.first(v) < 0) continue
    const ends = kind[v] === ON_LINE ? lines.from(v) : []
    if (kind[v] === ON_LINE && ends.length !== 2) continue
    if (!middleAround(working, v, middle, normal)) continue
    const o = v * 3
    if (kind[v] === ON_SHEET) places.sheets.off(cut.first[v], p[o], p[o + 1], p[o + 2], normal)
    for (let step = 1; step > 0.2; step /= 2) {
      if (kind[v] === ON_LINE) {
        for (let c = 0; c < 3; c++) at[c] = p[o + c] + step * ((p[ends[0] * 3 + c] + p[ends[1] * 3 + c]) / 2 - p[o + c])
        if (!places.sheets.meet(cut.first[v], cut.second[v], at, 1e-6)) break
      } else {
        let out = 0
        for (let c = 0; c < 3; c++) out += (middle[c] - p[o + c]) * normal[c]
        for (let c = 0; c < 3; c++) at[c] = p[o + c] + step * cut.share[v] * (middle[c] - p[o + c] - out * normal[c])
        if (!layOn(cut, places, v, at)) break
      }
      if (folds(working, v, at, normal)) continue
      p.set(at, o)
      break
    }
  }
}

function turnedFaces({ working }: CutMesh, judge: FaceJudge): number[] {
  const { topology, places: p } = working
  const out: number[] = []
  for (let h = 0; h < topology.halfEdges; h += 3) {
    if (topology.isGone(h)) continue
    const [a, b, c] = [topology.origin(h), topology.origin(h + 1), topology.origin(h + 2)]
    if (!judge.isTurned(a, b, c)) continue
    for (let k = 0; k < 3; k++) out.push((p[a * 3 + k] + p[b * 3 + k] + p[c * 3 + k]) / 3)
  }
  return out
}
