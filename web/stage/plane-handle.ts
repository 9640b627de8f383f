import {
  DoubleSide,
  EdgesGeometry,
  Group,
  LineBasicMaterial,
  LineSegments,
  Matrix4,
  Mesh,
  MeshBasicMaterial,
  PlaneGeometry,
  Quaternion,
  Vector3,
  type Camera,
  type Object3D,
  type Scene,
} from 'three'
import { TransformControls } from 'three/examples/jsm/controls/TransformControls.js'

export interface StagePlane {
  readonly normal: readonly [number, number, number]
  readonly offsetMm: number
}

const INK = '#356a8f'
const RING = '#7f7864'
const HELD = '#b4512e'

/** A cutting plane on the stage with handles: an arrow along its normal, rings that tilt it. */
export class PlaneHandle {
  private readonly sheet = new Group()
  private readonly mover: TransformControls
  private readonly tilter: TransformControls
  private readonly helpers: Object3D[]

  constructor(
    private readonly scene: Scene,
    camera: Camera,
    canvas: HTMLCanvasElement,
    reachMm: number,
    changed: (plane: StagePlane) => void,
    holding: (held: boolean) => void,
    redraw: () => void,
  ) {
    const square = new PlaneGeometry(2 * reachMm, 2 * reachMm)
    const fill = new Mesh(
      square,
      new MeshBasicMaterial({ color: INK, transparent: true, opacity: 0.13, side: DoubleSide, depthWrite: false }),
    )
    this.sheet.add(fill, new LineSegments(new EdgesGeometry(square), new LineBasicMaterial({ color: INK })))
    const handle = (mode: 'translate' | 'rotate', size: number): TransformControls => {
      const c = new TransformControls(camera, canvas)
      c.setMode(mode)
      c.setSpace('local')
      c.setSize(size)
      if (mode === 'translate') c.showX = c.showY = false
      else c.showZ = false
      c.setColors(RING, RING, INK, HELD)
      c.attach(this.sheet)
      c.addEventListener('dragging-changed', (e) => holding(e.value === true))
      c.addEventListener('objectChange', () => changed(this.plane()))
      c.addEventListener('change', redraw)
      return c
    }
    this.mover = handle('translate', 0.9)
    this.tilter = handle('rotate', 0.55)
    this.helpers = [this.tilter.getHelper(), this.mover.getHelper()]
    scene.add(this.sheet, ...this.helpers)
  }

  /** Lays the sheet on a plane, its middle below the middle of what is shown. */
  place({ normal, offsetMm }: StagePlane, middle: Vector3): void {
    if (this.mover.dragging || this.tilter.dragging) return
    const n = new Vector3(...normal).normalize()
    this.sheet.quaternion.copy(new Quaternion().setFromUnitVectors(new Vector3(0, 0, 1), n))
    this.sheet.position.copy(middle).addScaledVector(n, offsetMm - middle.dot(n))
    this.sheet.updateMatrixWorld()
  }

  private plane(): StagePlane {
    const n = new Vector3(0, 0, 1).applyMatrix4(new Matrix4().extractRotation(this.sheet.matrixWorld)).normalize()
    return { normal: n.toArray(), offsetMm: n.dot(this.sheet.position) }
  }

  dispose(): void {
    for (const c of [this.mover, this.tilter]) {
      c.detach()
      c.dispose()
    }
    this.scene.remove(this.sheet, ...this.helpers)
    for (const child of this.sheet.children) {
      const m = child as Mesh<PlaneGeometry, MeshBasicMaterial>
      m.geometry.dispose()
      m.material.dispose()
    }
  }
}
