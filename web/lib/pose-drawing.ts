import { cutFacets, place, viewpointsOf, type PlannedTake, type DeviceProfile } from '@holosoma/core/plan'
import { transformPoint } from '@holosoma/core/linear'
import type { TriangleMesh } from '@holosoma/core'

const WIDTH = 300,
  HEIGHT = 170
const FACETS = 700

/**
 * A pose as a small drawing for paper: the piece shaded in graphite, what it rests on, and the device with its depth
 * band at the elevation set.
 */
export function poseDrawing(mesh: TriangleMesh, take: PlannedTake, device: DeviceProfile): string {
  const placed = place(take, mesh.positions)
  const facets = cutFacets(mesh, FACETS)
  const n = facets.count
  // Seen from the side and a little from above; x to the right is towards the device.
  const turn = -0.35,
    tilt = 0.22
  const ct = Math.cos(turn),
    st = Math.sin(turn),
    cl = Math.cos(tilt),
    sl = Math.sin(tilt)
  const project = (x: number, y: number, z: number): [number, number, number] => {
    const u = ct * x - st * y,
      v = st * x + ct * y
    return [u, z * cl + v * sl, v * cl - z * sl]
  }
  const corners: [number, number, number][] = []
  for (let i = 0; i < n * 3; i++)
    corners.push(
      project(
        ...transformPoint(placed.motion, facets.corners[i * 3], facets.corners[i * 3 + 1], facets.corners[i * 3 + 2]),
      ),
    )
  const e = (take.elevationDeg * Math.PI) / 180
  const size = Math.max(placed.radiusMm, (placed.heightMm - placed.restMm) / 2)
  // The device is drawn nearer than it stands; the distance is written beside it.
  const far = size * 2.3,
    half = Math.min(device.windowMm / 2, size * 1.1)
  const ray = (d: number, side: number): readonly [number, number, number] =>
    project(d * Math.cos(e) - side * Math.sin(e), 0, placed.middleMm + d * Math.sin(e) + side * Math.cos(e))
  const plate = Array.from({ length: 37 }, (_, i) =>
    project(
      placed.radiusMm * 1.12 * Math.cos((i * Math.PI) / 18),
      placed.radiusMm * 1.12 * Math.sin((i * Math.PI) / 18),
      0,
    ),
  )
  const wedge = [ray(far, 0), ray(0, half), ray(0, -half)]
  const box = size * 0.14
  const eye = [ray(far, -box), ray(far, box), ray(far + 2.2 * box, box), ray(far + 2.2 * box, -box)]
  // All of it fitted into the frame, words under it.
  const all = [...corners, ...plate, ...wedge, ...eye]
  const low = [0, 1].map((c) => Math.min(...all.map((p) => p[c]))),
    high = [0, 1].map((c) => Math.max(...all.map((p) => p[c])))
  const scale = Math.min((WIDTH - 12) / (high[0] - low[0]), (HEIGHT - 34) / (high[1] - low[1]))
  const at = ([x, y]: readonly [number, number, ...number[]]): string =>
    `${(WIDTH / 2 + (x - (low[0] + high[0]) / 2) * scale).toFixed(1)},${((HEIGHT - 22) / 2 - (y - (low[1] + high[1]) / 2) * scale).toFixed(1)}`
  const path = (points: readonly (readonly [number, number, number])[]): string => points.map(at).join(' ')
  const order = Array.from({ length: n }, (_, i) => i).sort(
    (a, b) =>
      corners[b * 3][2] +
      corners[b * 3 + 1][2] +
      corners[b * 3 + 2][2] -
      corners[a * 3][2] -
      corners[a * 3 + 1][2] -
      corners[a * 3 + 2][2],
  )
  const faces = order.flatMap((i) => {
    const [a, b, c] = [corners[i * 3], corners[i * 3 + 1], corners[i * 3 + 2]]
    const cross = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1])
    if (cross <= 0) return []
    const m = placed.motion,
      k = i * 3
    const nz = m[8] * facets.normals[k] + m[9] * facets.normals[k + 1] + m[10] * facets.normals[k + 2]
    const nx = m[0] * facets.normals[k] + m[1] * facets.normals[k + 1] + m[2] * facets.normals[k + 2]
    const grey = Math.round(168 + 52 * nz + 22 * nx)
    const tone = `rgb(${Math.min(250, grey)},${Math.min(248, grey - 2)},${Math.min(244, grey - 8)})`
    return [`<polygon points="${at(a)} ${at(b)} ${at(c)}" fill="${tone}" stroke="${tone}" stroke-width="0.4"/>`]
  })
  const { count } = viewpointsOf(take, device, placed)
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 ${WIDTH} ${HEIGHT}" width="${WIDTH}" height="${HEIGHT}">` +
    `<polyline points="${path(plate)}" fill="#eee8da" stroke="#8b836f" stroke-width="0.8"/>${faces.join('')}` +
    (`<polygon points="${path(wedge)}" fill="#2b7a70" fill-opacity="0.1" stroke="#2b7a70" ` +
      `stroke-width="0.7"/><polygon points="${path(eye)}" fill="#23272b"/>`) +
    (`<text x="${WIDTH / 2}" y="${HEIGHT - 5}" text-anchor="middle" font-size="15" ` +
      'font-family="Helvetica, Arial, sans-serif" ' +
      `fill="#23272b">${Math.round(take.elevationDeg)}°, ${Math.round(take.distanceMm)} mm, ` +
      `${count} ${count === 1 ? 'view' : 'views'}</text></svg>`)
  )
}
