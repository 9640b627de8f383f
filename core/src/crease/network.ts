import { edgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { UnionFind } from '../spatial/union-find'
import { Crossings, type Crossing } from './crossing'
import { insideAt, sheetAt, turnAt, type Places } from './places'
import { besideMm, insideOfRound } from './wedge'
import { nextHalf } from '../mesh/half-edges'

/** A line that is not so many edges of the mesh long is none. */
const LEAST_LENGTH = 5
/** Of a line's crossings so many are told by both ends. */
const LEAST_FIRM = 0.6
/** Along a line points may lie inside it on the mean by this share of an edge and of the noise: more is a round. */
const INSIDE_EDGES = 0.01
const INSIDE_NOISES = 0.1
/** A round that wide would have lain inside by so many times what is allowed, where one is careful. */
const SURELY = 2
/** Of its pieces so many run as the sheets say the edge does there (cosine; 40°). */
const LEAST_ALONG = 0.8
const ALONG = 0.77
/** A corner lies so near the middle of the triangle that holds it, in edges. */
const CORNER_NEAR = 1.5
/** Corners nearer to each other than so many edges are one. */
const APART = 0.7

/** A point of the mesh that becomes a corner of the piece. */
export interface Corner {
  readonly point: number
  readonly at: readonly [number, number, number]
}

/** Where the edges of the piece run over a mesh. */
export interface Network {
  /** By half-edge of the mesh, the smaller of the two. */
  readonly crossings: ReadonlyMap<number, Crossing>
  readonly corners: readonly Corner[]
}

/**
 * All lines over a mesh that are long enough, told from both sides, and run as their sheets say.
 * @param isCareful only those at which a round as wide as the mesh's edges would have been told
 */
export function networkOf(mesh: TriangleMesh, places: Places, edgeMm: number, isCareful: boolean): Network {
  const { indices } = mesh
  const { twin } = edgeTopology(mesh)
  const tell = new Crossings(mesh, places, edgeMm)
  const found = new Map<number, Crossing>()
  for (let h = 0; h < indices.length; h++) {
    if (twin[h] < h) continue
    const crossing = tell.between(indices[h], indices[nextHalf(h)])
    if (crossing) found.set(h, crossing)
  }
  const once = (h: number): number => (twin[h] >= 0 && twin[h] < h ? twin[h] : h)
  const links: [number, number][] = []
  const cornerFaces: number[] = []
  const faces = new Set<number>()
  for (const h of found.keys()) {
    faces.add(Math.floor(h / 3))
    if (twin[h] >= 0) faces.add(Math.floor(twin[h] / 3))
  }
  for (const f of [...faces].sort((a, b) => a - b)) {
    const here = [f * 3, f * 3 + 1, f * 3 + 2].map(once).filter((h) => found.has(h))
    if (here.length === 2) links.push([here[0], here[1]])
    if (here.length === 3) {
      cornerFaces.push(f)
      links.push([here[0], here[1]], [here[1], here[2]])
    }
  }
  const kept = longLines(
    found,
    links,
    places,
    edgeMm,
    isCareful,
    new Set(cornerFaces.flatMap((f) => [0, 1, 2].map((c) => once(f * 3 + c)))),
  )
  return { crossings: kept, corners: cornersOf(mesh, places, edgeMm, cornerFaces, (h) => kept.has(once(h))) }
}

function longLines(
  found: ReadonlyMap<number, Crossing>,
  links: readonly [number, number][],
  places: Places,
  edgeMm: number,
  isCareful: boolean,
  atCorners: ReadonlySet<number>,
): Map<number, Crossing> {
  const keys = [...found.keys()]
  const indexOf = new Map(keys.map((h, i) => [h, i]))
  const groups = new UnionFind(keys.length)
  for (const [g, h] of links) groups.union(indexOf.get(g)!, indexOf.get(h)!)
  const withinMm = besideMm(edgeMm, places.spacingMm),
    told = INSIDE_EDGES * edgeMm + INSIDE_NOISES * places.noiseMm
  const tallies = new Map<number, Tally>()
  const tallyOf = (h: number): Tally => {
    const root = groups.find(indexOf.get(h)!)
    let tally = tallies.get(root)
    if (!tally) tallies.set(root, (tally = { lengthMm: 0, alongMm: 0, insideMm: 0, ofRoundMm: 0, firm: 0, count: 0 }))
    return tally
  }
  for (const [g, h] of links) {
    const a = found.get(g)!,
      b = found.get(h)!
    const d = a.at.map((x, c) => b.at[c] - x)
    const size = Math.hypot(d[0], d[1], d[2])
    const tally = tallyOf(g)
    tally.lengthMm += size
    const t = alongOf(places, a)
    const runs = Math.abs(d[0] * t[0] + d[1] * t[1] + d[2] * t[2]) >= ALONG * size
    if (runs || (atCorners.has(g) && atCorners.has(h))) tally.alongMm += size
  }
  for (const [h, crossing] of found) {
    const tally = tallyOf(h)
    tally.insideMm += insideAt(places, crossing.by, crossing.a, crossing.b)
    tally.ofRoundMm += insideOfRound(edgeMm, angleOf(places, crossing), withinMm)
    if (crossing.firm) tally.firm++
    tally.count++
  }
  const isLine = ({ lengthMm, alongMm, insideMm, ofRoundMm, firm, count }: Tally): boolean =>
    lengthMm >= LEAST_LENGTH * edgeMm &&
    alongMm >= LEAST_ALONG * lengthMm &&
    firm >= LEAST_FIRM * count &&
    insideMm <= told * count &&
    (!isCareful || ofRoundMm >= SURELY * told * count)
  return new Map([...found].filter(([h]) => isLine(tallyOf(h))))
}

/** What is known of crossings that hang together. */
interface Tally {
  lengthMm: number
  /** Of that: where it runs as its sheets say. */
  alongMm: number
  /** Sums over the crossings: how far points beside them lie inside, and how far those of a round would. */
  insideMm: number
  ofRoundMm: number
  /** How many both ends tell of, and how many there are. */
  firm: number
  count: number
}

const n1 = new Float64Array(3),
  n2 = new Float64Array(3)

/** The way an edge runs where it is crossed, unit. */
export function alongOf(places: Places, { by, a, b, at }: Crossing): [number, number, number] {
  places.sheets.off(sheetAt(places, by, a), at[0], at[1], at[2], n1)
  places.sheets.off(sheetAt(places, by, b), at[0], at[1], at[2], n2)
  const x = n1[1] * n2[2] - n1[2] * n2[1],
    y = n1[2] * n2[0] - n1[0] * n2[2],
    z = n1[0] * n2[1] - n1[1] * n2[0]
  const length = Math.hypot(x, y, z) || 1
  return [x / length, y / length, z / length]
}

/** By how much the surface turns at a crossing, radians. */
function angleOf(places: Places, { by, a, b, at }: Crossing): number {
  places.sheets.off(sheetAt(places, by, a), at[0], at[1], at[2], n1)
  places.sheets.off(sheetAt(places, by, b), at[0], at[1], at[2], n2)
  return Math.acos(Math.max(-1, Math.min(1, n1[0] * n2[0] + n1[1] * n2[1] + n1[2] * n2[2])))
}

/** Triangles that lie on three sheets hold a corner: the point of theirs that is nearest to it becomes one. */
function cornersOf(
  { positions: p, indices }: TriangleMesh,
  places: Places,
  edgeMm: number,
  faces: readonly number[],
  isKept: (h: number) => boolean,
): Corner[] {
  const out: Corner[] = []
  const taken = new Set<number>()
  const at = new Float64Array(3)
  for (const f of faces) {
    if (![0, 1, 2].every((c) => isKept(f * 3 + c))) continue
    const points = [0, 1, 2].map((c) => indices[f * 3 + c])
    if (points.some((v) => taken.has(v))) continue
    const middle = [0, 1, 2].map((c) => (p[points[0] * 3 + c] + p[points[1] * 3 + c] + p[points[2] * 3 + c]) / 3)
    let best: Corner | null = null,
      nearest = CORNER_NEAR * edgeMm
    for (const v of points) {
      const k = places.count[v]
      for (let a = 0; a < k; a++)
        for (let b = a + 1; b < k; b++)
          for (let c = b + 1; c < k; c++) {
            const turns = [turnAt(places, v, a, b), turnAt(places, v, b, c), turnAt(places, v, a, c)]
            if (turns.filter((t) => t !== 0).length < 2) continue
            at.set(middle)
            const [i, j, l] = [a, b, c].map((s) => sheetAt(places, v, s))
            if (!places.sheets.meetThree(i, j, l, at, 1e-4 * edgeMm)) continue
            const far = Math.hypot(at[0] - middle[0], at[1] - middle[1], at[2] - middle[2])
            if (far >= nearest || out.some((o) => Math.hypot(...o.at.map((x, m) => x - at[m])) < APART * edgeMm))
              continue
            nearest = far
            const own = points
              .map((w) => ({ w, d: Math.hypot(p[w * 3] - at[0], p[w * 3 + 1] - at[1], p[w * 3 + 2] - at[2]) }))
              .sort((x, y) => x.d - y.d)[0]
            best = { point: own.w, at: [at[0], at[1], at[2]] }
          }
    }
    if (best && !taken.has(best.point)) {
      taken.add(best.point)
      out.push(best)
    }
  }
  return out
}
