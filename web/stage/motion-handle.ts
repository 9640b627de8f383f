import { Matrix4, Object3D, Vector3, type Camera, type Scene } from 'three'
import { TransformControls } from 'three/examples/jsm/controls/TransformControls.js'

export interface StageMotion {
  /** Shape → stage, row-major. */
  readonly rows: readonly (readonly number[])[]
  readonly mode: 'move' | 'turn'
  /** Where the handles sit, in the shape's own coordinates. */
  readonly middle: readonly [number, number, number]
}

const AXIS_INKS = ['#8a6b4a', '#50695b', '#4e8098'] as const
const HELD = '#b4512e'

/** Handles that move or turn one shape on the stage. */
export class MotionHandle {
  private readonly grip = new Object3D()
  private readonly controls: TransformControls
  private readonly helper: Object3D
  private startGrip = new Matrix4()
  private startRows = new Matrix4()
  private rows = new Matrix4()

  constructor(
    private readonly scene: Scene,
    camera: Camera,
    canvas: HTMLCanvasElement,
    changed: (rows: number[][]) => void,
    holding: (held: boolean) => void,
    redraw: () => void,
  ) {
    this.controls = new TransformControls(camera, canvas)
    this.controls.setSpace('world')
    this.controls.setSize(0.8)
    this.controls.setColors(...AXIS_INKS, HELD)
    this.controls.attach(this.grip)
    this.controls.addEventListener('dragging-changed', (e) => {
      holding(e.value === true)
      this.grip.updateMatrixWorld()
      this.startGrip.copy(this.grip.matrixWorld)
      this.startRows.copy(this.rows)
    })
    this.controls.addEventListener('objectChange', () => {
      this.grip.updateMatrixWorld()
      this.rows.copy(this.grip.matrixWorld).multiply(this.startGrip.clone().invert()).multiply(this.startRows)
      const e = this.rows.clone().transpose().elements
      changed([0, 1, 2, 3].map((r) => [...e.slice(r * 4, r * 4 + 4)]))
    })
    this.controls.addEventListener('change', redraw)
    this.helper = this.controls.getHelper()
    scene.add(this.grip, this.helper)
  }

  place({ rows, mode, middle }: StageMotion): void {
    this.controls.setMode(mode === 'move' ? 'translate' : 'rotate')
    if (this.controls.dragging) return
    this.rows.set(...(rows.flat() as Parameters<Matrix4['set']>))
    this.grip.quaternion.identity()
    this.grip.position.copy(new Vector3(...middle).applyMatrix4(this.rows))
    this.grip.updateMatrixWorld()
  }

  dispose(): void {
    this.controls.detach()
    this.controls.dispose()
    this.scene.remove(this.grip, this.helper)
  }
}
