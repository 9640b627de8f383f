import { checkpoint, type RunContext } from '../context'

/** A dense box of nodes; `known` nodes are held, the others take what the membrane gives. */
export interface DenseField {
  readonly size: readonly [number, number, number]
  readonly values: Float32Array
  readonly known: Uint8Array
}

const SWEEPS = 24
const OVER_RELAXATION = 1.6
const SMALLEST = 6

/**
 * Fills unknown nodes with the discrete harmonic function through the known ones (volumetric diffusion: Davis,
 * Marschner, Garr, Levoy 2002, "Filling holes in complex surfaces using volumetric diffusion", solved to rest), coarse
 * to fine: each level starts from the next coarser one's answer, then over-relaxed Gauss–Seidel in fixed order. Nodes
 * on the outer faces of the box must be known.
 */
export function solveMembrane(field: DenseField, context: RunContext): void {
  const [nx, ny, nz] = field.size
  if (Math.min(nx, ny, nz) > SMALLEST) {
    const coarse = restrict(field)
    solveMembrane(coarse, context)
    prolong(coarse, field)
  } else for (let i = 0; i < field.values.length; i++) if (!field.known[i]) field.values[i] = 0
  checkpoint(context, nx, nx, 'Closing the gaps')
  relax(field, SWEEPS)
}

function restrict(fine: DenseField): DenseField {
  const [nx, ny, nz] = fine.size
  const size = [nx, ny, nz].map((n) => Math.floor((n - 1) / 2) + 2) as [number, number, number]
  const [cx, cy, cz] = size
  const values = new Float32Array(cx * cy * cz)
  const known = new Uint8Array(cx * cy * cz)
  for (let z = 0; z < cz; z++)
    for (let y = 0; y < cy; y++)
      for (let x = 0; x < cx; x++) {
        let sum = 0
        let count = 0
        for (let dz = -1; dz <= 1; dz++)
          for (let dy = -1; dy <= 1; dy++)
            for (let dx = -1; dx <= 1; dx++) {
              const fx = Math.min(nx - 1, Math.max(0, 2 * x + dx)),
                fy = Math.min(ny - 1, Math.max(0, 2 * y + dy)),
                fz = Math.min(nz - 1, Math.max(0, 2 * z + dz))
              const at = (fz * ny + fy) * nx + fx
              if (!fine.known[at]) continue
              const w = (2 - Math.abs(dx)) * (2 - Math.abs(dy)) * (2 - Math.abs(dz))
              sum += w * fine.values[at]
              count += w
            }
        const at = (z * cy + y) * cx + x
        const rim = x === 0 || y === 0 || z === 0 || x === cx - 1 || y === cy - 1 || z === cz - 1
        if (count > 0) values[at] = sum / count
        known[at] = count > 0 || rim ? 1 : 0
      }
  return { size, values, known }
}

function prolong(coarse: DenseField, fine: DenseField): void {
  const [nx, ny, nz] = fine.size
  for (let z = 0; z < nz; z++)
    for (let y = 0; y < ny; y++)
      for (let x = 0; x < nx; x++) {
        const at = (z * ny + y) * nx + x
        if (!fine.known[at]) fine.values[at] = sampleField(coarse, x / 2, y / 2, z / 2)
      }
}

/** Trilinear value at fractional node coordinates inside the box. */
export function sampleField(field: DenseField, x: number, y: number, z: number): number {
  const [nx, ny, nz] = field.size
  const ix = Math.min(nx - 2, Math.max(0, Math.floor(x))),
    iy = Math.min(ny - 2, Math.max(0, Math.floor(y))),
    iz = Math.min(nz - 2, Math.max(0, Math.floor(z)))
  const fx = x - ix,
    fy = y - iy,
    fz = z - iz
  const v = field.values
  const at = (iz * ny + iy) * nx + ix
  const up = at + ny * nx
  const a = v[at] + fx * (v[at + 1] - v[at])
  const b = v[at + nx] + fx * (v[at + nx + 1] - v[at + nx])
  const c = v[up] + fx * (v[up + 1] - v[up])
  const d = v[up + nx] + fx * (v[up + nx + 1] - v[up + nx])
  const low = a + fy * (b - a)
  return low + fz * (c + fy * (d - c) - low)
}

function relax(field: DenseField, sweeps: number): void {
  const [nx, ny, nz] = field.size
  const { values, known } = field
  const sy = nx
  const sz = nx * ny
  for (let s = 0; s < sweeps; s++) {
    for (let z = 1; z < nz - 1; z++)
      for (let y = 1; y < ny - 1; y++) {
        let at = (z * ny + y) * nx + 1
        for (let x = 1; x < nx - 1; x++, at++) {
          if (known[at]) continue
          const mean =
            (values[at - 1] + values[at + 1] + values[at - sy] + values[at + sy] + values[at - sz] + values[at + sz]) /
            6
          values[at] += OVER_RELAXATION * (mean - values[at])
        }
      }
  }
}
