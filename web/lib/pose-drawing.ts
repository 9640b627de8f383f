import { cutFacets } from '@holosoma/core/plan/facets'
import { place, viewpointsOf, type PlannedTake } from '@holosoma/core/plan/takes'
import type { DeviceProfile } from '@holosoma/core/plan/device-profile'
import { transformPoint } from '@holosoma/core/linear/rigid'
import type { TriangleMesh } from '@holosoma/core'

const WIDTH = 300, HEIGHT = 170
const FACETS = 700

/** A pose as a small drawing for paper: the piece shaded in graphite, what it rests on, and the device with its depth band at the elevation set. */
export function poseDrawing(mesh: TriangleMesh, take: PlannedTake, device: DeviceProfile): string {
  const placed = place(take, mesh.positions)
  const facets = cutFacets(mesh, FACETS)
  const n = facets.count
  // Seen from the side and a little from above; x to the right is towards the device.
  const turn = -0.35, tilt = 0.22
  const ct = Math.cos(turn), st = Math.sin(turn), cl = Math.cos(tilt), sl = Math.sin(tilt)
  const project = (x: number, y: number, z: number): [number, number, number] => {
    const u = ct * x - st * y, v = st * x + ct * y
    return [u, z * cl + v * sl, v * cl - z * sl]
  }
  const corners: [number, number, number][] = []
  for (let i = 0; i < n * 3; i++) corners.push(project(...transformPoint(placed.motion, facets.corners[i * 3]!, facets.corners[i * 3 + 1]!, facets.corners[i * 3 + 2]!)))
  const reach = placed.radiusMm * 2.9, scale = Math.min((WIDTH - 20) / (placed.radiusMm * 1.15 + reach), (HEIGHT - 22) / Math.max(placed.heightMm * 1.1 + placed.radiusMm * 0.4, reach * Math.sin((Math.max(0, take.elevationDeg) * Math.PI) / 180) + placed.middleMm + placed.radiusMm * 0.5))
  const at = ([x, y]: readonly [number, number, ...number[]]): string => `${(10 + (x + placed.radiusMm * 1.15) * scale).toFixed(1)},${(HEIGHT - 12 - (y + placed.radiusMm * 0.32) * scale).toFixed(1)}`
  const order = Array.from({ length: n }, (_, i) => i).sort((a, b) => corners[b * 3]![2] + corners[b * 3 + 1]![2] + corners[b * 3 + 2]![2] - corners[a * 3]![2] - corners[a * 3 + 1]![2] - corners[a * 3 + 2]![2])
  const faces = order.flatMap((i) => {
    const [a, b, c] = [corners[i * 3]!, corners[i * 3 + 1]!, corners[i * 3 + 2]!]
    const cross = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
    if (cross <= 0) return []
    const m = placed.motion, k = i * 3
    const nz = m[8]! * facets.normals[k]! + m[9]! * facets.normals[k + 1]! + m[10]! * facets.normals[k + 2]!
    const nx = m[0]! * facets.normals[k]! + m[1]! * facets.normals[k + 1]! + m[2]! * facets.normals[k + 2]!
    const grey = Math.round(168 + 52 * nz + 22 * nx)
    const tone = `rgb(${Math.min(250, grey)},${Math.min(248, grey - 2)},${Math.min(244, grey - 8)})`
    return [`<polygon points="${at(a)} ${at(b)} ${at(c)}" fill="${tone}" stroke="${tone}" stroke-width="0.4"/>`]
  })
  const plate = Array.from({ length: 37 }, (_, i) => at(project(placed.radiusMm * 1.12 * Math.cos((i * Math.PI) / 18), placed.radiusMm * 1.12 * Math.sin((i * Math.PI) / 18), 0))).join(' ')
  const e = (take.elevationDeg * Math.PI) / 180
  const ray = (d: number, side: number): string => at(project(d * Math.cos(e) - side * Math.sin(e), 0, placed.middleMm + d * Math.sin(e) + side * Math.cos(e)))
  // The device is drawn nearer than it stands; the distance is written beside it.
  const far = placed.radiusMm * 2.2
  const half = Math.min(device.windowMm / 2, placed.radiusMm * 1.1)
  const { count } = viewpointsOf(take, device, placed)
  return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${HEIGHT}" width="${WIDTH}" height="${HEIGHT}">`
    + `<polyline points="${plate}" fill="#eee8da" stroke="#8b836f" stroke-width="0.8"/>${faces.join('')}`
    + `<polygon points="${ray(far, 0)} ${ray(0, half)} ${ray(0, -half)}" fill="#2b7a70" fill-opacity="0.1" stroke="#2b7a70" stroke-width="0.7"/>`
    + `<polygon points="${ray(far - 2 / scale, -7 / scale)} ${ray(far - 2 / scale, 7 / scale)} ${ray(far + 12 / scale, 7 / scale)} ${ray(far + 12 / scale, -7 / scale)}" fill="#23272b"/>`
    + `<text x="${WIDTH - 4}" y="12" text-anchor="end" font-size="11" font-family="Helvetica, Arial, sans-serif" fill="#23272b">${Math.round(take.elevationDeg)}°, ${Math.round(take.distanceMm)} mm</text>`
    + `<text x="${WIDTH - 4}" y="26" text-anchor="end" font-size="10" font-family="Helvetica, Arial, sans-serif" fill="#5b6168">${count} ${count === 1 ? 'view' : 'views'}</text></svg>`
}
