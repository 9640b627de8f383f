import { connectedComponents } from '../cloud/components'
import { medianSpacing } from '../cloud/spacing'
import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { across } from '../linear/across'
import { smallestEigen3 } from '../linear/symmetric3'
import { labOf } from '../select/by-value'
import { pickPoints, type PointCloud } from '../shapes'
import { KdTree } from '../spatial/kd-tree'

/** A white disc with a black ring, stuck on a surface. */
export interface FoundDot {
  readonly centre: readonly [number, number, number]
  readonly normal: readonly [number, number, number]
  readonly radiusMm: number
}

export interface DotSearch {
  readonly dots: readonly FoundDot[]
  /** 1 where a point lies on a dot or its ring. */
  readonly mask: Uint8Array
}

/** The ring reaches this many radii of the disc. */
const RING = 1.6
/** Dots are cut with this much round them, in spacings of the take. */
const MARGIN_SPACINGS = 1
/**
 * Palest points count as white from these shares of the palest lightness on: light and tint differ from bench to bench.
 */
const LEVELS = [0.93, 0.82, 0.7] as const
const GAP_SPACINGS = 1.9
/** Disc by its points: count against π r² / spacing², radius by its spread, roundness, flatness. */
const COUNT = [0.3, 1.7] as const
const RADIUS = [0.72, 1.3] as const
const ROUND = 0.5
const FLAT = 0.16
/** Chroma over which a point is no white. */
const MAX_CHROMA = 22
/** The ring is darker than the disc by this share, over most of the places round it. */
const DARK = 0.62
const RING_SECTORS = 12
const MIN_RING = 0.7

/**
 * Finds reference dots of a known size by tone, roundness and flatness: connected pale patches as large and round as a
 * dot, in one plane, in a dark ring. Works at several levels of paleness, since a take's light is not known.
 * @throws PARAMS without colours, or where the take is too coarse to show a dot
 */
export function findDots(cloud: PointCloud, diameterMm: number, context: RunContext): DotSearch {
  if (!cloud.colours)
    throw new GeometryError('PARAMS', 'This take has no colours; dots are found by their black and white.')
  if (!(diameterMm > 0)) throw new GeometryError('PARAMS', `Dots are wider than 0 mm, not ${diameterMm}.`)
  const { positions: p, colours } = cloud
  const n = p.length / 3
  const spacing = medianSpacing(cloud)
  const r = diameterMm / 2
  if (r < 2 * spacing)
    throw new GeometryError(
      'PARAMS',
      `The take’s points lie ${spacing.toFixed(2)} mm apart, too far to make out dots of ${diameterMm} mm.`,
    )
  const light = new Float32Array(n),
    white = new Uint8Array(n)
  readTones(colours, light, white)
  const palest = quantile(light, 0.9995)
  const tree = new KdTree(p)
  const dots: FoundDot[] = []
  LEVELS.forEach((level, k) => {
    const ids = Int32Array.from({ length: n }, (_, i) => i).filter((i) => white[i] === 1 && light[i] >= level * palest)
    if (ids.length === 0) return
    for (const members of partsOf(
      pickPoints(cloud, ids),
      GAP_SPACINGS * spacing,
      stage(context, k / LEVELS.length, (k + 1) / LEVELS.length),
    )) {
      const dot = judgeDisc(
        p,
        members.map((m) => ids[m]),
        r,
        spacing,
      )
      if (dot && dots.every((d) => distance(d.centre, dot.centre) > r) && inRing(p, light, tree, dot, spacing))
        dots.push(dot)
    }
  })
  return { dots, mask: maskOf(p, dots, spacing) }
}

function readTones(colours: Uint8Array, light: Float32Array, white: Uint8Array): void {
  const known = new Map<number, readonly [number, number]>()
  for (let i = 0, k = 0; i < light.length; i++, k += 3) {
    const key = (colours[k] << 16) | (colours[k + 1] << 8) | colours[k + 2]
    let tone = known.get(key)
    if (!tone) {
      const [l, a, b] = labOf(colours[k], colours[k + 1], colours[k + 2])
      known.set(key, (tone = [l, Math.hypot(a, b)]))
    }
    light[i] = tone[0]
    white[i] = tone[1] <= MAX_CHROMA ? 1 : 0
  }
}

function quantile(values: Float32Array, q: number): number {
  const sorted = values.slice().sort()
  return sorted[Math.min(sorted.length - 1, Math.floor(q * sorted.length))]
}

function partsOf(cloud: PointCloud, gapMm: number, context: RunContext): Int32Array[] {
  const { label, sizes } = connectedComponents(cloud, gapMm, context)
  const parts = sizes.map((s) => new Int32Array(s))
  const at = new Int32Array(sizes.length)
  for (let i = 0; i < label.length; i++) parts[label[i]][at[label[i]]++] = i
  return parts
}

function judgeDisc(p: Float32Array, ids: Int32Array, r: number, spacing: number): FoundDot | null {
  const wanted = (Math.PI * r * r) / (spacing * spacing)
  if (ids.length < 6 || ids.length < COUNT[0] * wanted || ids.length > COUNT[1] * wanted) return null
  let x = 0,
    y = 0,
    z = 0
  for (const i of ids) {
    x += p[i * 3] / ids.length
    y += p[i * 3 + 1] / ids.length
    z += p[i * 3 + 2] / ids.length
  }
  let xx = 0,
    xy = 0,
    xz = 0,
    yy = 0,
    yz = 0,
    zz = 0
  for (const i of ids) {
    const a = p[i * 3] - x,
      b = p[i * 3 + 1] - y,
      c = p[i * 3 + 2] - z
    xx += a * a
    xy += a * b
    xz += a * c
    yy += b * b
    yz += b * c
    zz += c * c
  }
  const e = new Float64Array(6)
  smallestEigen3(xx, xy, xz, yy, yz, zz, e)
  // Of an even disc the variance along either axis is r²/4.
  const radius = 2 * Math.sqrt((e[1] + e[2]) / 2 / ids.length)
  if (radius < RADIUS[0] * r || radius > RADIUS[1] * r || !(e[1] > ROUND * e[2])) return null
  if (Math.sqrt(Math.max(0, e[0]) / ids.length) > Math.max(FLAT * r, 0.3 * spacing)) return null
  return { centre: [x, y, z], normal: [e[3], e[4], e[5]], radiusMm: r }
}

/** Round a disc it must be darker, or nothing must have come back: the ring swallows light. */
function inRing(p: Float32Array, light: Float32Array, tree: KdTree, dot: FoundDot, spacing: number): boolean {
  const reach = RING * dot.radiusMm
  const room = Math.ceil((4 * Math.PI * reach * reach) / (spacing * spacing)) + 24
  const ids = new Int32Array(room),
    d2 = new Float64Array(room)
  const found = tree.knn(...dot.centre, room, ids, d2, reach * reach)
  const [nx, ny, nz] = dot.normal
  const axes = new Float64Array(6)
  across(nx, ny, nz, axes)
  let inner = 0,
    within = 0
  const pale = new Int32Array(RING_SECTORS),
    dark = new Int32Array(RING_SECTORS)
  for (let k = 0; k < found; k++) {
    const i = ids[k]
    const x = p[i * 3] - dot.centre[0],
      y = p[i * 3 + 1] - dot.centre[1],
      z = p[i * 3 + 2] - dot.centre[2]
    if (Math.abs(nx * x + ny * y + nz * z) > 0.6 * dot.radiusMm) continue
    const d = Math.sqrt(d2[k])
    if (d < 0.7 * dot.radiusMm) {
      inner += light[i]
      within++
    }
  }
  const limit = (DARK * inner) / Math.max(1, within)
  for (let k = 0; k < found; k++) {
    const i = ids[k]
    const d = Math.sqrt(d2[k])
    // Rim and ring bleed into each other within a spacing.
    if (d < dot.radiusMm + 0.6 * spacing || d > reach - 0.5 * spacing) continue
    const x = p[i * 3] - dot.centre[0],
      y = p[i * 3 + 1] - dot.centre[1],
      z = p[i * 3 + 2] - dot.centre[2]
    if (Math.abs(nx * x + ny * y + nz * z) > 0.6 * dot.radiusMm) continue
    const angle = Math.atan2(axes[3] * x + axes[4] * y + axes[5] * z, axes[0] * x + axes[1] * y + axes[2] * z)
    const sector = Math.min(RING_SECTORS - 1, Math.floor(((angle + Math.PI) / (2 * Math.PI)) * RING_SECTORS))
    if (light[i] > limit) pale[sector]++
    else dark[sector]++
  }
  let good = 0
  for (let s = 0; s < RING_SECTORS; s++) if (dark[s] >= pale[s]) good++
  return good >= MIN_RING * RING_SECTORS
}

function maskOf(p: Float32Array, dots: readonly FoundDot[], spacing: number): Uint8Array {
  const mask = new Uint8Array(p.length / 3)
  for (const {
    centre: [x, y, z],
    normal: [a, b, c],
    radiusMm,
  } of dots) {
    const reach = RING * radiusMm + MARGIN_SPACINGS * spacing
    for (let i = 0, k = 0; i < mask.length; i++, k += 3) {
      const dx = p[k] - x,
        dy = p[k + 1] - y,
        dz = p[k + 2] - z
      if (dx * dx + dy * dy + dz * dz <= reach * reach && Math.abs(a * dx + b * dy + c * dz) <= radiusMm) mask[i] = 1
    }
  }
  return mask
}

const distance = (a: readonly number[], b: readonly number[]): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2])
