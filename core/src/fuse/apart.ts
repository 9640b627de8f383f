import { faceCross } from '../linear/face-cross'
import type { TriangleMesh } from '../shapes'
import type { Support } from './support'

/** Takes lie apart where their means differ by so many times what their noise explains … */
const SIGMAS = 4
/** … and by so many times the noise of one point: less is what a device does from one place to the next. */
const NOISES = 2
/** … and by this share of the skin's spacing: what is less does not show in it. */
const SPACINGS = 0.1
/** A take with fewer points near is not asked. */
const LEAST_POINTS = 3

/** Where two takes that both saw a surface do not agree. */
export interface Apart {
  /** Per point of the surface: how far the takes lie apart, mm; 0 where they agree or only one saw it. */
  readonly apartMm: Float32Array
  /** Per point: 1 where two takes or more saw it. */
  readonly shared: Uint8Array
  /** Less than this is not looked for anywhere, mm. */
  readonly withinMm: number
}

/**
 * Compares the takes' mean lie over each point and its neighbours. A join that is off, a piece that moved and a take
 * that warped leave two layers, which one skin runs between without a sign of it.
 * @param indices triangles of the surface @param spacingMm of the skin
 */
export function whereApart(indices: Uint32Array, { takes, measured }: Support, spacingMm: number): Apart {
  const n = measured.length
  const apartMm = new Float32Array(n),
    shared = new Uint8Array(n)
  const withinMm = Math.max(SPACINGS * spacingMm, ...takes.map((t) => NOISES * t.noiseMm))
  if (takes.length < 2) return { apartMm, shared, withinMm }
  const around = takes.map(({ offMm, count }) => ({ off: overRing(indices, offMm), count: overRing(indices, count) }))
  for (let v = 0; v < n; v++) {
    let low = -1,
      high = -1
    for (let t = 0; t < takes.length; t++) {
      const { off, count } = around[t]
      if (count[v] < LEAST_POINTS) continue
      const mean = off[v] / count[v]
      if (low < 0 || mean < around[low].off[v] / around[low].count[v]) low = t
      if (high < 0 || mean > around[high].off[v] / around[high].count[v]) high = t
    }
    if (low === high) continue
    shared[v] = 1
    const a = around[low],
      b = around[high]
    const gap = b.off[v] / b.count[v] - a.off[v] / a.count[v]
    const known = Math.hypot(takes[low].noiseMm / Math.sqrt(a.count[v]), takes[high].noiseMm / Math.sqrt(b.count[v]))
    if (gap > SIGMAS * known && gap > withinMm) apartMm[v] = gap
  }
  return { apartMm, shared, withinMm }
}

/** Sums over each point and those it has an edge to. */
function overRing(indices: Uint32Array, values: Float32Array): Float32Array {
  const out = values.slice()
  // An inner edge is met once each way, so half of each counts; a border edge counts for half.
  for (let i = 0; i < indices.length; i++) {
    const a = indices[i],
      b = indices[i % 3 === 2 ? i - 2 : i + 1]
    out[a] += values[b] / 2
    out[b] += values[a] / 2
  }
  return out
}

/** What share of the surface that two takes saw they disagree on, and by how much there. */
export interface ApartShare {
  /** Of all the surface: seen by two takes or more. */
  readonly shared: number
  /** Of that: where they lie apart. */
  readonly apart: number
  /** Mean gap where they do, and the largest, mm. */
  readonly meanMm: number
  readonly mostMm: number
  /** What was looked for: more than this, mm. */
  readonly withinMm: number
}

/** Sums up by area; a face counts as shared, and as apart, where all its corners are. */
export function apartShare({ positions, indices }: TriangleMesh, { apartMm, shared, withinMm }: Apart): ApartShare {
  const cross = new Float64Array(3)
  let all = 0,
    both = 0,
    apart = 0,
    gaps = 0,
    most = 0
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i],
      b = indices[i + 1],
      c = indices[i + 2]
    const area = faceCross(positions, a * 3, b * 3, c * 3, cross)
    all += area
    if (!shared[a] || !shared[b] || !shared[c]) continue
    both += area
    const gap = Math.min(apartMm[a], apartMm[b], apartMm[c])
    if (gap === 0) continue
    apart += area
    gaps += area * gap
    if (gap > most) most = gap
  }
  return {
    shared: all > 0 ? both / all : 0,
    apart: both > 0 ? apart / both : 0,
    meanMm: apart > 0 ? gaps / apart : 0,
    mostMm: most,
    withinMm,
  }
}
