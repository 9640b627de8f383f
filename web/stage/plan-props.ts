import {
  BufferGeometry,
  CircleGeometry,
  Color,
  CylinderGeometry,
  DoubleSide,
  Float32BufferAttribute,
  Group,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  RingGeometry,
  SphereGeometry,
  Vector3,
} from 'three'
import type { DeviceProfile, DotLayout, Placed, PlannedTake, Viewpoints } from '@holosoma/core/plan'
import type { StageProps } from './stage'

const GRAPHITE = new Color('#5B6168')
const VERDIGRIS = new Color('#2B7A70')

/**
 * The bench of one planned take: plate, riser, the device's window and depth band as a wedge, where it stands for each
 * view, and the dots.
 */
export function planProps(
  take: PlannedTake,
  device: DeviceProfile,
  placed: Placed,
  views: Viewpoints,
  dots: DotLayout | null,
  dotMm: number,
): StageProps {
  const group = new Group()
  const plateMm = Math.max(placed.radiusMm * 1.35, 60)
  if (views.table && take.kind !== 'handheld') group.add(plate(plateMm))
  if (placed.restMm > 0) group.add(riser(placed.radiusMm * 0.45, placed.restMm))
  const toTable = new Matrix4().set(...(Array.from(placed.motion) as Parameters<Matrix4['set']>))
  for (let v = 0; v < views.count; v++) group.add(wedge(views, v, device, toTable, v === 0))
  if (dots) group.add(dotMarks(dots, dotMm, toTable))
  return { group, floorZ: 0, reachMm: plateMm }
}

function plate(radiusMm: number): Group {
  const group = new Group()
  const top = new Mesh(
    new CircleGeometry(radiusMm, 72),
    new MeshBasicMaterial({ color: GRAPHITE, transparent: true, opacity: 0.1, depthWrite: false }),
  )
  top.position.z = -0.02
  const rim = new Mesh(
    new RingGeometry(radiusMm * 0.992, radiusMm, 96),
    new MeshBasicMaterial({ color: '#8B836F', side: DoubleSide }),
  )
  group.add(top, rim)
  return group
}

function riser(radiusMm: number, heightMm: number): Mesh {
  const mesh = new Mesh(
    new CylinderGeometry(radiusMm, radiusMm, heightMm, 48),
    new MeshBasicMaterial({ color: '#B9B09B', transparent: true, opacity: 0.7 }),
  )
  mesh.rotation.x = Math.PI / 2
  mesh.position.z = heightMm / 2
  return mesh
}

/**
 * The part of a view's pyramid between the near and far end of the depth band; the first view filled, the others as a
 * short stroke towards the device.
 */
function wedge(views: Viewpoints, v: number, device: DeviceProfile, toTable: Matrix4, whole: boolean): Group {
  const r = (k: number): Vector3 =>
    new Vector3(views.rows[v * 15 + k], views.rows[v * 15 + k + 1], views.rows[v * 15 + k + 2])
  const eye = r(0),
    forward = r(6),
    right = r(9),
    up = r(12)
  const at = (depth: number, sx: number, sy: number): Vector3 => {
    const half = (depth * device.windowMm) / 2 / device.standOffMm
    return eye
      .clone()
      .addScaledVector(forward, depth)
      .addScaledVector(right, sx * half)
      .addScaledVector(up, sy * half)
      .applyMatrix4(toTable)
  }
  const group = new Group()
  if (!whole) {
    group.add(
      lines(
        [
          eye.clone().addScaledVector(forward, device.nearMm).applyMatrix4(toTable),
          eye
            .clone()
            .addScaledVector(forward, device.nearMm - device.standOffMm * 0.08)
            .applyMatrix4(toTable),
        ],
        VERDIGRIS,
        0.8,
      ),
    )
    return group
  }
  const corners = [
    [-1, -1],
    [1, -1],
    [1, 1],
    [-1, 1],
  ] as const
  const near = corners.map(([x, y]) => at(device.nearMm, x, y)),
    far = corners.map(([x, y]) => at(device.farMm, x, y))
  const edges: Vector3[] = []
  const faces: Vector3[] = []
  for (let i = 0; i < 4; i++) {
    const j = (i + 1) % 4
    edges.push(near[i], near[j], far[i], far[j], near[i], far[i])
    faces.push(near[i], near[j], far[j], near[i], far[j], far[i])
  }
  const side = new BufferGeometry()
  side.setAttribute(
    'position',
    new Float32BufferAttribute(
      faces.flatMap((p) => p.toArray()),
      3,
    ),
  )
  group.add(
    new Mesh(
      side,
      new MeshBasicMaterial({
        color: VERDIGRIS,
        transparent: true,
        opacity: 0.06,
        side: DoubleSide,
        depthWrite: false,
      }),
    ),
    lines(edges, VERDIGRIS, 0.55),
  )
  return group
}

function lines(points: readonly Vector3[], colour: Color, opacity: number): LineSegments {
  const geometry = new BufferGeometry()
  geometry.setAttribute(
    'position',
    new Float32BufferAttribute(
      points.flatMap((p) => p.toArray()),
      3,
    ),
  )
  return new LineSegments(
    geometry,
    new LineBasicMaterial({ color: colour, transparent: true, opacity, depthWrite: false }),
  )
}

function dotMarks(layout: DotLayout, dotMm: number, toTable: Matrix4): Group {
  const group = new Group()
  const geometry = new SphereGeometry(dotMm / 2, 12, 8)
  const material = new MeshBasicMaterial({ color: '#23272B' })
  for (let i = 0; i < layout.positions.length; i += 3) {
    const p = new Vector3(layout.positions[i], layout.positions[i + 1], layout.positions[i + 2])
    if (layout.space === 'piece') p.applyMatrix4(toTable)
    const mark = new Mesh(geometry, material)
    mark.scale.z = 0.25
    const n = new Vector3(layout.normals[i], layout.normals[i + 1], layout.normals[i + 2])
    if (layout.space === 'piece') n.transformDirection(toTable)
    mark.quaternion.setFromUnitVectors(new Vector3(0, 0, 1), n)
    mark.position.copy(p)
    group.add(mark)
  }
  return group
}
