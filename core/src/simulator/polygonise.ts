import type { RunContext } from '../context'
import { ALL_INSIDE, BRICK, BRICK_NODES, BrickGrid } from '../fuse/brick-grid'
import { contourBricks } from '../fuse/contour'
import { findCrossings } from '../mesh/crossings'
import type { Bounds, TriangleMesh } from '../shapes'
import type { Implicit } from './implicit'

/**
 * The zero surface of an implicit solid as a closed mesh; vertices are pulled onto the surface by a few Newton steps along the gradient, each no
 * longer than a fifth of the spacing. Where that makes faces cross (exact predicates on the coordinates as stored), the vertices go back to
 * where the contour had them, which is free of crossings. `embedded: false` leaves that check out, for callers that want points only.
 */
export function polygonise(field: Implicit, bounds: Bounds, spacingMm: number, context: RunContext, { embedded = true } = {}): TriangleMesh {
  const pad = 2 * spacingMm
  const origin: [number, number, number] = [bounds.min[0] - pad, bounds.min[1] - pad, bounds.min[2] - pad]
  const bricks = [0, 1, 2].map((c) => Math.ceil(((bounds.max[c]! - bounds.min[c]! + 2 * pad) / spacingMm + 1) / BRICK)) as [number, number, number]
  const grid = new BrickGrid(origin, spacingMm, bricks)
  const reach = spacingMm * BRICK * 0.87 * 1.6
  for (let b = 0; b < grid.table.length; b++) {
    const [bx, by, bz] = grid.brickCoordinates(b)
    const half = (BRICK - 1) / 2
    const f = field(origin[0] + spacingMm * (bx * BRICK + half), origin[1] + spacingMm * (by * BRICK + half), origin[2] + spacingMm * (bz * BRICK + half))
    if (Math.abs(f) < reach) grid.ensure(b)
    else if (f < 0) grid.table[b] = ALL_INSIDE
  }
  const values = new Float32Array(grid.slotCount * BRICK_NODES)
  grid.slotBrick.forEach((brick, slot) => {
    const [bx, by, bz] = grid.brickCoordinates(brick)
    let at = slot * BRICK_NODES
    for (let z = 0; z < BRICK; z++) for (let y = 0; y < BRICK; y++) for (let x = 0; x < BRICK; x++) {
      values[at++] = field(origin[0] + spacingMm * (bx * BRICK + x), origin[1] + spacingMm * (by * BRICK + y), origin[2] + spacingMm * (bz * BRICK + z))
    }
  })
  const { positions, indices } = contourBricks(grid, values, spacingMm, context)
  const contoured = embedded ? positions.slice() : positions
  const step = 1e-3
  for (let i = 0; i < positions.length; i += 3) {
    for (let round = 0; round < 3; round++) {
      const x = positions[i]!, y = positions[i + 1]!, z = positions[i + 2]!
      const f = field(x, y, z)
      const gx = (field(x + step, y, z) - field(x - step, y, z)) / (2 * step)
      const gy = (field(x, y + step, z) - field(x, y - step, z)) / (2 * step)
      const gz = (field(x, y, z + step) - field(x, y, z - step)) / (2 * step)
      const g2 = Math.max(gx * gx + gy * gy + gz * gz, 0.05)
      const limit = 0.2 * spacingMm
      const t = Math.max(-limit, Math.min(limit, f / Math.sqrt(g2))) / Math.sqrt(g2)
      positions[i] = x - t * gx
      positions[i + 1] = y - t * gy
      positions[i + 2] = z - t * gz
    }
  }
  const mesh: TriangleMesh = { kind: 'mesh', positions, indices }
  for (let pairs = embedded ? findCrossings(mesh, context) : new Uint32Array(0); pairs.length > 0; pairs = findCrossings(mesh, context)) {
    for (const f of pairs) for (let c = 0; c < 3; c++) {
      const v = indices[f * 3 + c]! * 3
      positions.set(contoured.subarray(v, v + 3), v)
    }
  }
  return mesh
}
