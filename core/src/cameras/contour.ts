import { facetsOf } from '../mesh/facets'
import { edgeTopology } from '../mesh/topology'
import { nextHalf } from '../mesh/half-edges'
import { extentOf } from './extent'
import { vertexNormals } from '../mesh/normals'
import type { TriangleMesh } from '../shapes'
import { eyeOf, project, type Camera } from '../view/camera'
import { drawInverseDepth } from '../view/depth-raster'

/** Places of a contour, at most. */
const MOST_PLACES = 420
/** What lies so many pixels outside a contour is behind it, by a share of its distance. */
const OUTSIDE_PX = 2.5
const BEHIND = 0.01
/** Just inside it the surface comes nearer, but not more than so. */
const NEARER = 0.06
/** Facing the camera more than so, as a cosine, an edge is a contour only where the surface breaks off. */
const BENT_AWAY = 0.15
/** It breaks off before another part of itself that lies so much farther, as a share of half its diagonal. */
const JUMP = 0.15

/** Where a surface bends out of a camera's sight, seen by it: places, and which way is outside in the picture. */
export interface Contour {
  readonly count: number
  /** count×3, mm */
  readonly at: Float64Array
  /** count×2, unit, in the picture; away from the surface that bends. */
  readonly outward: Float64Array
  /** count: 1 where nothing of the surface lies behind it. */
  readonly outer: Uint8Array
}

/**
 * Finds contours of a surface: edges between a face that is turned to the camera and one that is not, which nothing
 * hides and behind which the surface ends. Good for many cameras, one after the other.
 */
export class ContourFinder {
  private readonly facets
  private readonly normals: Float32Array
  private readonly size: number
  private readonly twin: Int32Array
  private readonly closed: boolean
  private readonly u: Float32Array
  private readonly v: Float32Array
  private readonly w: Float32Array
  private inverse = new Float32Array(0)

  constructor(private readonly mesh: TriangleMesh) {
    this.normals = vertexNormals(mesh)
    this.size = extentOf(mesh).size
    this.facets = facetsOf(mesh.positions, mesh.indices)
    const { twin, borderEdges } = edgeTopology(mesh)
    this.twin = twin
    this.closed = borderEdges === 0
    const n = mesh.positions.length / 3
    this.u = new Float32Array(n)
    this.v = new Float32Array(n)
    this.w = new Float32Array(n)
  }

  find(camera: Camera): Contour {
    const { positions: p, indices: t } = this.mesh
    const width = camera.widthPx,
      height = camera.heightPx
    const front = this.facing(camera)
    this.draw(camera, front)
    const { u, v, w, inverse } = this
    const rows: number[][] = []
    const seen = (x: number, y: number): number =>
      x >= 0 && y >= 0 && x < width && y < height ? inverse[Math.floor(y) * width + Math.floor(x)] : -1
    const shown = new Float64Array(3)
    const eye = eyeOf(camera)
    for (let h = 0; h < t.length; h++) {
      if (!front[Math.floor(h / 3)]) continue
      const other = this.twin[h]
      if (other >= 0 && front[Math.floor(other / 3)]) continue
      const a = t[h],
        b = t[nextHalf(h)]
      if (!(w[a] > 0 && w[b] > 0)) continue
      const du = u[b] - u[a],
        dv = v[b] - v[a]
      const l = Math.hypot(du, dv)
      if (!(l > 0.05)) continue
      // A face that is turned to the camera runs against the clock: outside is to the right of its edges.
      const nx = -dv / l,
        ny = du / l
      const parts = Math.max(1, Math.round(l / 2))
      for (let k = 0; k < parts; k++) {
        const s = (k + 0.5) / parts
        const x = p[a * 3] + s * (p[b * 3] - p[a * 3]),
          y = p[a * 3 + 1] + s * (p[b * 3 + 1] - p[a * 3 + 1]),
          z = p[a * 3 + 2] + s * (p[b * 3 + 2] - p[a * 3 + 2])
        project(camera, x, y, z, shown)
        const near = 1 / shown[2]
        // Nothing much nearer just inside; outside, only what is farther.
        const inside = seen(shown[0] - nx, shown[1] - ny)
        if (inside < 0 || inside > near * (1 + NEARER)) continue
        const outside = seen(shown[0] + OUTSIDE_PX * nx, shown[1] + OUTSIDE_PX * ny)
        if (outside < 0 || outside > near * (1 - BEHIND)) continue
        // Slivers of a surface that bends slowly look away, too, a little before it does.
        if (this.slope(a, b, eye) > BENT_AWAY) {
          const sharp =
            outside > 0 ? 1 / outside - 1 / near > JUMP * this.size : seen(shown[0] + nx, shown[1] + ny) === 0
          if (!sharp) continue
        }
        rows.push([x, y, z, nx, ny, outside === 0 ? 1 : 0, l / parts])
      }
    }
    return thinned(rows)
  }

  /** How much the surface faces the camera at an edge, as a cosine. */
  private slope(a: number, b: number, [x, y, z]: readonly number[]): number {
    const { positions: p } = this.mesh
    const n = this.normals
    const dx = x - p[a * 3],
      dy = y - p[a * 3 + 1],
      dz = z - p[a * 3 + 2]
    const across = (i: number): number => dx * n[i * 3] + dy * n[i * 3 + 1] + dz * n[i * 3 + 2]
    return Math.abs(across(a) + across(b)) / 2 / Math.hypot(dx, dy, dz)
  }

  private draw(camera: Camera, front: Uint8Array): void {
    const { positions: p, indices: t } = this.mesh
    const { u, v, w } = this
    const pixels = camera.widthPx * camera.heightPx
    if (this.inverse.length !== pixels) this.inverse = new Float32Array(pixels)
    const shown = new Float64Array(3)
    for (let i = 0; i < u.length; i++) {
      project(camera, p[i * 3], p[i * 3 + 1], p[i * 3 + 2], shown)
      w[i] = shown[2] > 0 ? 1 / shown[2] : 0
      u[i] = shown[0]
      v[i] = shown[1]
    }
    this.inverse.fill(0)
    for (let f = 0; f < t.length; f += 3) {
      // Of a closed surface what is turned away lies behind what is not.
      if (this.closed && !front[f / 3]) continue
      const a = t[f],
        b = t[f + 1],
        c = t[f + 2]
      if (!(w[a] > 0 && w[b] > 0 && w[c] > 0)) continue
      const turned = (u[b] - u[a]) * (v[c] - v[a]) - (u[c] - u[a]) * (v[b] - v[a]) > 0
      const d = turned ? b : c,
        e = turned ? c : b
      drawInverseDepth(
        this.inverse,
        camera.widthPx,
        camera.heightPx,
        u[a],
        v[a],
        w[a],
        u[d],
        v[d],
        w[d],
        u[e],
        v[e],
        w[e],
      )
    }
  }

  private facing(camera: Camera): Uint8Array {
    const { positions: p, indices: t } = this.mesh
    const { normals } = this.facets
    const [x, y, z] = eyeOf(camera)
    const out = new Uint8Array(t.length / 3)
    for (let f = 0; f < out.length; f++) {
      const a = t[f * 3] * 3
      if (normals[f * 3] * (x - p[a]) + normals[f * 3 + 1] * (y - p[a + 1]) + normals[f * 3 + 2] * (z - p[a + 2]) > 0)
        out[f] = 1
    }
    return out
  }
}

/** An even share of the places where there are more than needed, by their length in the picture. */
function thinned(rows: readonly number[][]): Contour {
  const whole = rows.reduce((s, r) => s + r[6], 0)
  const each = Math.max(whole / MOST_PLACES, 1e-9)
  const kept: number[][] = []
  let due = each / 2
  for (const r of rows) {
    due -= r[6]
    if (due <= 0) {
      kept.push(r)
      due = Math.max(due + each, 0)
    }
  }
  const count = kept.length
  const at = new Float64Array(count * 3),
    outward = new Float64Array(count * 2),
    outer = new Uint8Array(count)
  kept.forEach((r, i) => {
    at.set(r.slice(0, 3), i * 3)
    outward.set(r.slice(3, 5), i * 2)
    outer[i] = r[5]
  })
  return { count, at, outward, outer }
}
