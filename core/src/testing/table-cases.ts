import { seededRandom, type Random } from '../linear/random'
import type { PointCloud } from '../shapes'

/** A piece on a table that is tilted, cluttered and half hidden, by a seed. */
export interface TableCase {
  readonly cloud: PointCloud
  readonly sigmaMm: number
  /** Truth: the table's unit normal and offset. */
  readonly normal: readonly [number, number, number]
  readonly offsetMm: number
  /** Places on the table under the rim of the piece. */
  readonly footprint: readonly (readonly [number, number, number])[]
}

type Solid = {
  readonly kind: 'ball' | 'box' | 'can'
  readonly u: number
  readonly v: number
  readonly a: number
  readonly b: number
  readonly h: number
}

/** @returns points with normals, as a device above sees them: nothing under the solids, nothing below the table */
export function tableCase(seed: number): TableCase {
  const r = seededRandom(seed * 7919 + 3)
  const sigmaMm = 0.02 + 0.08 * r.next()
  const spacing = 0.9
  const half = 70 + 60 * r.next()
  const piece: Solid = solid(r, 0, 0, 18 + 22 * r.next(), 25 + 60 * r.next())
  const clutter = Array.from({ length: r.integer(5) }, () => {
    const angle = 2 * Math.PI * r.next(),
      away = 55 + (half - 55) * r.next()
    return solid(
      r,
      away * Math.cos(angle),
      away * Math.sin(angle),
      4 + 9 * r.next(),
      r.next() < 0.5 ? 1.5 + 4 * r.next() : 8 + 30 * r.next(),
    )
  })
  const solids = [piece, ...clutter]
  // Half hidden: what lies on the far side of a line is not seen.
  const side = 2 * Math.PI * r.next(),
    edge = r.next() < 0.5 ? Infinity : -25 + 50 * r.next()
  const p: number[] = [],
    q: number[] = []
  const put = (u: number, v: number, h: number, nu: number, nv: number, nh: number): void => {
    const e = sigmaMm * r.gaussian()
    p.push(u + e * nu, v + e * nv, h + e * nh)
    q.push(nu, nv, nh)
  }
  const n = Math.round((2 * half) / spacing)
  for (let i = 0; i < n; i++)
    for (let j = 0; j < n; j++) {
      const u = (i + r.next()) * spacing - half,
        v = (j + r.next()) * spacing - half
      if (Math.cos(side) * u + Math.sin(side) * v > edge || solids.some((s) => covers(s, u, v))) continue
      put(u, v, 0, 0, 0, 1)
    }
  for (const s of solids) sample(s, spacing, r, put)
  for (let i = 0; i < 40; i++) put((r.next() - 0.5) * 2 * half, (r.next() - 0.5) * 2 * half, 60 * r.next(), 0, 0, 1)
  // Tilted and moved.
  const tilt = (45 * Math.PI * r.next()) / 180,
    about = 2 * Math.PI * r.next()
  const k = [Math.cos(about), Math.sin(about), 0],
    shift = [200 * (r.next() - 0.5), 200 * (r.next() - 0.5), 200 * (r.next() - 0.5)]
  const turn = (x: number, y: number, z: number): [number, number, number] => {
    const c = Math.cos(tilt),
      s = Math.sin(tilt),
      d = (k[0] * x + k[1] * y) * (1 - c)
    return [x * c + k[1] * z * s + k[0] * d, y * c - k[0] * z * s + k[1] * d, z * c + (k[0] * y - k[1] * x) * s]
  }
  const positions = new Float32Array(p.length),
    normals = new Float32Array(p.length)
  for (let i = 0; i < p.length; i += 3) {
    const at = turn(p[i], p[i + 1], p[i + 2])
    positions.set([at[0] + shift[0], at[1] + shift[1], at[2] + shift[2]], i)
    normals.set(turn(q[i], q[i + 1], q[i + 2]), i)
  }
  const normal = turn(0, 0, 1)
  const footprint = Array.from({ length: 16 }, (_, i) => {
    const at = turn(piece.a * Math.cos((i * Math.PI) / 8), piece.a * Math.sin((i * Math.PI) / 8), 0)
    return [at[0] + shift[0], at[1] + shift[1], at[2] + shift[2]] as const
  })
  return {
    cloud: { kind: 'cloud', positions, normals },
    sigmaMm,
    normal,
    offsetMm: normal.reduce((s, x, i) => s + x * shift[i], 0),
    footprint,
  }
}

function solid(r: Random, u: number, v: number, a: number, h: number): Solid {
  const kind = (['ball', 'box', 'can'] as const)[r.integer(3)]
  return { kind, u, v, a, b: kind === 'box' ? a * (0.5 + 0.5 * r.next()) : a, h: kind === 'ball' ? 2 * a : h }
}

const covers = (s: Solid, u: number, v: number): boolean =>
  s.kind === 'box' ? Math.abs(u - s.u) < s.a && Math.abs(v - s.v) < s.b : Math.hypot(u - s.u, v - s.v) < s.a

function sample(
  s: Solid,
  spacing: number,
  r: Random,
  put: (u: number, v: number, h: number, nu: number, nv: number, nh: number) => void,
): void {
  const per = (area: number): number => Math.round(area / (spacing * spacing))
  if (s.kind === 'ball') {
    for (let i = 0, n = per(3 * Math.PI * s.a * s.a); i < n; i++) {
      const z = -0.4 + 1.4 * r.next(),
        w = 2 * Math.PI * r.next(),
        c = Math.sqrt(1 - z * z)
      put(s.u + s.a * c * Math.cos(w), s.v + s.a * c * Math.sin(w), s.a + s.a * z, c * Math.cos(w), c * Math.sin(w), z)
    }
    return
  }
  if (s.kind === 'can') {
    for (let i = 0, n = per(2 * Math.PI * s.a * s.h); i < n; i++) {
      const w = 2 * Math.PI * r.next()
      put(s.u + s.a * Math.cos(w), s.v + s.a * Math.sin(w), s.h * r.next(), Math.cos(w), Math.sin(w), 0)
    }
    for (let i = 0, n = per(Math.PI * s.a * s.a); i < n; i++) {
      const w = 2 * Math.PI * r.next(),
        d = s.a * Math.sqrt(r.next())
      put(s.u + d * Math.cos(w), s.v + d * Math.sin(w), s.h, 0, 0, 1)
    }
    return
  }
  for (const [axis, sign] of [
    [0, 1],
    [0, -1],
    [1, 1],
    [1, -1],
  ] as const) {
    const wide = axis === 0 ? s.b : s.a
    for (let i = 0, n = per(2 * wide * s.h); i < n; i++) {
      const t = wide * (2 * r.next() - 1),
        h = s.h * r.next()
      if (axis === 0) put(s.u + sign * s.a, s.v + t, h, sign, 0, 0)
      else put(s.u + t, s.v + sign * s.b, h, 0, sign, 0)
    }
  }
  for (let i = 0, n = per(4 * s.a * s.b); i < n; i++)
    put(s.u + s.a * (2 * r.next() - 1), s.v + s.b * (2 * r.next() - 1), s.h, 0, 0, 1)
}
