import type { RunContext } from '../context'
import { ALL_INSIDE, BRICK, BRICK_NODES, BrickGrid } from '../fuse/brick-grid'
import { contourBricks } from '../fuse/contour'
import type { Bounds, TriangleMesh } from '../shapes'
import type { Implicit } from './implicit'
import { sharpenEdges } from './sharpen'

/**
 * The zero surface of an implicit solid as a closed mesh without crossings: marching tetrahedra over a sparse grid,
 * each vertex then moved along its own grid edge to where the field vanishes (regula falsi, Illinois variant; Dowell
 * and Jarratt 1971), which keeps the mesh embedded by construction.
 * Sharp edges are put back (see `sharpenEdges`); `sharp: false` leaves that out, for callers that need no edges.
 */
export function polygonise(
  field: Implicit,
  bounds: Bounds,
  spacingMm: number,
  context: RunContext,
  { sharp = true } = {},
): TriangleMesh {
  const pad = 3 * spacingMm
  // Set off by odd parts of a cell, so that no plane of a piece runs through the grid's nodes, from which vertices keep
  // clear.
  const origin: [number, number, number] = [
    bounds.min[0] - 2.31 * spacingMm,
    bounds.min[1] - 2.43 * spacingMm,
    bounds.min[2] - 2.57 * spacingMm,
  ]
  const bricks = [0, 1, 2].map((c) =>
    Math.ceil(((bounds.max[c] - bounds.min[c] + 2 * pad) / spacingMm + 1) / BRICK),
  ) as [number, number, number]
  const grid = new BrickGrid(origin, spacingMm, bricks)
  const reach = spacingMm * BRICK * 0.87 * 1.6
  for (let b = 0; b < grid.table.length; b++) {
    const [bx, by, bz] = grid.brickCoordinates(b)
    const half = (BRICK - 1) / 2
    const f = field(
      origin[0] + spacingMm * (bx * BRICK + half),
      origin[1] + spacingMm * (by * BRICK + half),
      origin[2] + spacingMm * (bz * BRICK + half),
    )
    if (Math.abs(f) < reach) grid.ensure(b)
    else if (f < 0) grid.table[b] = ALL_INSIDE
  }
  const values = new Float32Array(grid.slotCount * BRICK_NODES)
  grid.slotBrick.forEach((brick, slot) => {
    const [bx, by, bz] = grid.brickCoordinates(brick)
    let at = slot * BRICK_NODES
    for (let z = 0; z < BRICK; z++)
      for (let y = 0; y < BRICK; y++)
        for (let x = 0; x < BRICK; x++) {
          values[at++] = field(
            origin[0] + spacingMm * (bx * BRICK + x),
            origin[1] + spacingMm * (by * BRICK + y),
            origin[2] + spacingMm * (bz * BRICK + z),
          )
        }
  })
  const { positions, indices } = contourBricks(grid, values, spacingMm, context)
  for (let i = 0; i < positions.length; i += 3) toSurface(positions, i, field, origin, spacingMm)
  const mesh: TriangleMesh = { kind: 'mesh', positions, indices }
  return sharp ? sharpenEdges(mesh, field, spacingMm, context) : mesh
}

/** The contour keeps vertices this far, as a share of their edge, from the grid's nodes. */
const CLEAR = 0.04
const ROUNDS = 6

/**
 * Moves a vertex along its grid edge onto the surface. The edge is read off the vertex: where it does not lie on a
 * node's coordinate, the edge runs.
 */
function toSurface(p: Float32Array, i: number, field: Implicit, origin: readonly number[], h: number): void {
  let mask = 0
  let t = 0
  const node = [0, 0, 0]
  for (let c = 0; c < 3; c++) {
    const g = (p[i + c] - origin[c]) / h
    const f = g - Math.floor(g)
    const on = f > CLEAR * 0.75 && f < 1 - CLEAR * 0.75
    if (on) {
      mask |= 1 << c
      t = f
    }
    node[c] = origin[c] + h * (on ? Math.floor(g) : Math.round(g))
  }
  if (mask === 0) return
  const dx = mask & 1 ? h : 0,
    dy = mask & 2 ? h : 0,
    dz = mask & 4 ? h : 0
  const at = (s: number): number => field(node[0] + s * dx, node[1] + s * dy, node[2] + s * dz)
  let a = 0,
    b = 1,
    fa = at(0),
    fb = at(1)
  if (fa * fb > 0) return
  for (let round = 0; round < ROUNDS; round++) {
    t = (a * fb - b * fa) / (fb - fa)
    const ft = at(t)
    if (Math.abs(ft) < 1e-5) break
    if (ft * fb < 0) {
      a = b
      fa = fb
    } else fa /= 2
    b = t
    fb = ft
  }
  t = Math.min(1 - CLEAR, Math.max(CLEAR, t))
  p[i] = node[0] + t * dx
  p[i + 1] = node[1] + t * dy
  p[i + 2] = node[2] + t * dz
}
