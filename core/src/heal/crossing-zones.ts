import type { RunContext } from '../context'
import { faceCross } from '../linear/face-cross'
import { findCrossings } from '../mesh/crossings'
import { edgeTopology } from '../mesh/topology'
import type { TriangleMesh } from '../shapes'
import { without, type Tidied } from './tidy-faces'
import { windingNumber } from './winding'

/** Pieces left of fewer faces than this are crumbs of the zone. */
const MIN_PIECE = 4
/** Faces of a piece at which it is asked whether it is buried. */
const ASKED = 3
/** Pieces that are asked, the largest first; more are crumbs, too. */
const MOST_PIECES = 200
/** Of its longest edge: how far over a face the place is asked about. */
const OVER = 1e-3

/**
 * Takes out the faces that cross others and so many rings of faces round them, and what then lies inside the piece: on
 * the outer side of what is buried the whole still winds round (winding number over a half).
 * @returns the mesh with holes where faces crossed, and how many faces went; the same mesh where none cross
 */
export function takeOutCrossings(mesh: TriangleMesh, rings: number, context: RunContext): Tidied {
  const { indices } = mesh
  const faces = indices.length / 3
  const gone = new Uint8Array(faces)
  for (const f of findCrossings(mesh, context)) gone[f] = 1
  if (!gone.includes(1)) return { mesh, count: 0 }
  const marked = new Uint8Array(mesh.positions.length / 3)
  for (let ring = 0; ring < rings; ring++) {
    marked.fill(0)
    for (let f = 0; f < faces; f++) if (gone[f]) for (let c = 0; c < 3; c++) marked[indices[f * 3 + c]] = 1
    for (let f = 0; f < faces; f++)
      if (marked[indices[f * 3]] || marked[indices[f * 3 + 1]] || marked[indices[f * 3 + 2]]) gone[f] = 1
  }
  const pieces = piecesOf(mesh, gone).sort((a, b) => b.length - a.length)
  pieces.forEach((piece, i) => {
    const isCrumb = piece.length < MIN_PIECE || i >= MOST_PIECES
    if (isCrumb || isBuried(mesh, piece)) for (const f of piece) gone[f] = 1
  })
  return without(
    mesh,
    gone,
    gone.reduce((a, b) => a + b, 0),
  )
}

/** Faces that hang together over edges once the marked ones are gone. */
function piecesOf(mesh: TriangleMesh, gone: Uint8Array): number[][] {
  const { twin } = edgeTopology(mesh)
  const seen = gone.slice()
  const out: number[][] = []
  for (let seed = 0; seed < seen.length; seed++) {
    if (seen[seed]) continue
    const piece = [seed]
    seen[seed] = 1
    for (const f of piece)
      for (let h = f * 3; h < f * 3 + 3; h++) {
        const g = twin[h] >= 0 ? Math.floor(twin[h] / 3) : -1
        if (g >= 0 && !seen[g]) {
          seen[g] = 1
          piece.push(g)
        }
      }
    out.push(piece)
  }
  return out
}

/** Whether the whole mesh winds round the places just over the largest faces of a piece. */
function isBuried(mesh: TriangleMesh, piece: readonly number[]): boolean {
  const { positions: p, indices } = mesh
  const cross = new Float64Array(3)
  const area = (f: number): number =>
    faceCross(p, indices[f * 3] * 3, indices[f * 3 + 1] * 3, indices[f * 3 + 2] * 3, cross)
  const asked = piece
    .map((f) => ({ f, twice: area(f) }))
    .sort((a, b) => b.twice - a.twice)
    .slice(0, ASKED)
  let buried = 0
  for (const { f, twice } of asked) {
    area(f)
    // An even face of this area has edges of about the root of twice as much.
    const step = (OVER * Math.sqrt(twice)) / (twice || 1)
    const at = [0, 1, 2].map(
      (c) => (p[indices[f * 3] * 3 + c] + p[indices[f * 3 + 1] * 3 + c] + p[indices[f * 3 + 2] * 3 + c]) / 3,
    )
    if (windingNumber(mesh, at[0] + step * cross[0], at[1] + step * cross[1], at[2] + step * cross[2]) > 0.5) buried++
  }
  return buried * 2 > asked.length
}
