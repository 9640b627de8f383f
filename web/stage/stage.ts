import { Group, Matrix4, Mesh, OrthographicCamera, Quaternion, Scene, Vector2, Vector3, WebGLRenderer, Box3, Sprite, MOUSE } from 'three'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import { buildFloor, niceStep } from './floor'
import { drawsInSoftware, StageLayers, type Layer } from './layers'
import { pinSprite, type StagePin } from './marks'
import { MotionHandle, type StageMotion } from './motion-handle'
import { PlaneHandle, type StagePlane } from './plane-handle'

export type { Layer, StagePin, StagePlane }

/** Things on the stage that are no shape: table, device, dots. */
export interface StageProps {
  readonly group: Group
  /** Height of the floor; under the shapes when left out. */
  readonly floorZ: number
  /** How far from the middle the view must reach, mm. */
  readonly reachMm: number
}

export interface Ray {
  readonly origin: [number, number, number]
  readonly direction: [number, number, number]
  /** Millimetres that eight screen pixels cover. */
  readonly radiusMm: number
}

export interface CameraPose {
  readonly direction: readonly [number, number, number]
  readonly up: readonly [number, number, number]
  readonly zoom: number
  /** Offset of the target from the middle of what is shown, mm. */
  readonly offset: readonly [number, number, number]
}

const BAR_PX = 110

/**
 * The 3D view: orthographic, so that a millimetre is the same everywhere and the scale bar is always right. Draws only when something changed,
 * and fewer points while the view moves.
 */
export class Stage {
  private readonly renderer: WebGLRenderer
  private readonly layers: StageLayers
  private readonly scene = new Scene()
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, -10, 10)
  private readonly controls: OrbitControls
  private readonly pins = new Group()
  private props: StageProps | null = null
  private floor: Group | null = null
  private plane: PlaneHandle | null = null
  private motion: MotionHandle | null = null
  private readonly middle = new Vector3()
  private readonly half = new Vector3(60, 60, 60)
  private radius = 60
  private fitted = ''
  private queued = false
  private moving = false
  /** The picture is to be drawn from nothing, not gone on with. */
  private anew = true
  private restTimer: ReturnType<typeof setTimeout> | undefined
  private quiet = false
  onCamera: ((pose: CameraPose) => void) | null = null
  onScale: ((bar: { px: number; mm: number }) => void) | null = null
  onDrawn: (() => void) | null = null

  constructor(private readonly canvas: HTMLCanvasElement) {
    // Without a graphics card each point is drawn by the processor: fewer of them, no smoothing of edges.
    const software = drawsInSoftware()
    this.renderer = new WebGLRenderer({ canvas, antialias: !software, alpha: true, preserveDrawingBuffer: software })
    this.renderer.setPixelRatio(software ? 1 : Math.min(2, window.devicePixelRatio))
    this.camera.up.set(0, 0, 1)
    this.layers = new StageLayers(this.renderer, software)
    this.scene.add(this.layers.group, this.pins)
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.enableDamping = false
    this.controls.zoomToCursor = true
    this.controls.mouseButtons = { LEFT: MOUSE.ROTATE, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.PAN }
    this.controls.addEventListener('change', () => this.moved())
    this.place(new Vector3(0.55, -0.95, 0.75).normalize())
  }

  resize(width: number, height: number): void {
    if (width < 2 || height < 2) return
    this.renderer.setSize(width, height, false)
    this.frame()
    this.draw()
  }

  setLayers(layers: readonly Layer[]): void {
    const { shown, marksOnly } = this.layers.set(layers)
    if (shown !== this.fitted && layers.length > 0) {
      this.fitted = shown
      this.fit()
    }
    if (marksOnly && this.layers.software) this.queue()
    else this.draw()
  }

  setPins(pins: readonly StagePin[]): void {
    for (const child of [...this.pins.children]) {
      const sprite = child as Sprite
      sprite.material.map?.dispose()
      sprite.material.dispose()
      this.pins.remove(child)
    }
    for (const pin of pins) this.pins.add(pinSprite(pin))
    this.sizePins()
    this.draw()
  }

  /** Puts table, device and the like on the stage, or clears them away. */
  setProps(props: StageProps | null): void {
    if (this.props) {
      this.scene.remove(this.props.group)
      disposeGroup(this.props.group)
    }
    const refit = (this.props === null) !== (props === null) || this.props?.floorZ !== props?.floorZ
    this.props = props
    if (props) this.scene.add(props.group)
    if (refit && this.layers.count > 0) this.fit()
    this.draw()
  }

  /** Handles on one of the shapes; null takes them away. */
  setMotion(motion: StageMotion | null, changed: (rows: number[][]) => void): void {
    if (!motion && !this.motion) return
    if (!motion) {
      this.motion?.dispose()
      this.motion = null
    } else {
      this.motion ??= new MotionHandle(this.scene, this.camera, this.canvas, changed, (held) => {
        this.controls.enabled = !held
      }, () => this.draw())
      this.motion.place(motion)
    }
    this.draw()
  }

  /** Right, up and towards the eye, as the stage is seen now. */
  axes(): number[][] {
    this.camera.updateMatrixWorld()
    return [0, 1, 2].map((k) => new Vector3().setFromMatrixColumn(this.camera.matrixWorld, k).toArray())
  }

  /** Shows a cutting plane with its handles, or takes it away; `changed` hears of every move of the hand. */
  setPlane(plane: StagePlane | null, changed: (plane: StagePlane) => void): void {
    if (!plane && !this.plane) return
    if (!plane) {
      this.plane?.dispose()
      this.plane = null
    } else {
      this.plane ??= new PlaneHandle(this.scene, this.camera, this.canvas, this.radius, changed, (held) => {
        this.controls.enabled = !held
      }, () => this.draw())
      this.plane.place(plane, this.middle)
    }
    this.draw()
  }

  /** Brings all that is shown into view, floor under it. */
  fit(): void {
    const box = new Box3()
    this.layers.expand(box)
    if (box.isEmpty()) return
    box.getCenter(this.middle)
    box.getSize(this.half).multiplyScalar(0.5)
    if (this.props) {
      const { reachMm, floorZ } = this.props
      this.half.set(Math.max(this.half.x, reachMm), Math.max(this.half.y, reachMm), this.half.z)
      this.middle.set(0, 0, (floorZ + box.max.z) / 2)
    }
    this.radius = Math.max(1e-6, this.half.length())
    if (this.floor) this.scene.remove(this.floor)
    this.floor = buildFloor(this.radius, this.props?.floorZ ?? box.min.z)
    this.floor.position.x = this.middle.x
    this.floor.position.y = this.middle.y
    this.scene.add(this.floor)
    this.controls.target.copy(this.middle)
    this.camera.zoom = 1
    this.place(this.camera.position.clone().sub(this.controls.target).lengthSq() > 0 ? this.direction() : new Vector3(0.55, -0.95, 0.75).normalize())
    this.camera.updateMatrixWorld()
    this.frame()
    this.draw()
  }

  private lastDirection = new Vector3(0.55, -0.95, 0.75).normalize()
  private direction(): Vector3 {
    return this.lastDirection.clone()
  }

  private place(direction: Vector3): void {
    this.lastDirection.copy(direction)
    this.camera.position.copy(this.controls.target).addScaledVector(direction, this.radius * 8)
    this.camera.near = 0
    this.camera.far = this.radius * 16
    this.controls.update()
  }

  private frame(): void {
    const size = this.renderer.getSize(new Vector2())
    const aspect = size.x / Math.max(1, size.y)
    // The box's corners as the camera sees them; a flat piece then fills the view better than its sphere would.
    const right = new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0)
    const up = new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1)
    let halfWidth = this.radius * 0.45, halfHeight = this.radius * 0.45
    for (let c = 0; c < 8; c++) {
      const corner = new Vector3(c & 1 ? 1 : -1, c & 2 ? 1 : -1, c & 4 ? 1 : -1).multiply(this.half)
      halfWidth = Math.max(halfWidth, Math.abs(corner.dot(right)))
      halfHeight = Math.max(halfHeight, Math.abs(corner.dot(up)))
    }
    this.camera.top = Math.max(halfHeight, halfWidth / aspect) * 1.16
    this.camera.bottom = -this.camera.top
    this.camera.right = this.camera.top * aspect
    this.camera.left = -this.camera.right
    this.camera.updateProjectionMatrix()
    this.sizePins()
    this.reportScale()
  }

  /** Millimetres one CSS pixel covers; the same all over the view. */
  private mmPerPixel(): number {
    return (this.camera.top - this.camera.bottom) / this.camera.zoom / Math.max(1, this.canvas.clientHeight)
  }

  private reportScale(): void {
    const perPixel = this.mmPerPixel()
    if (!(perPixel > 0) || !Number.isFinite(perPixel)) return
    const mm = niceStep(BAR_PX * perPixel * 0.8)
    this.onScale?.({ px: mm / perPixel, mm })
  }

  private sizePins(): void {
    const s = this.mmPerPixel()
    for (const pin of this.pins.children) pin.scale.set(34 * s, 42 * s, 1)
  }

  private moved(): void {
    this.lastDirection.copy(this.camera.position).sub(this.controls.target).normalize()
    this.sizePins()
    this.reportScale()
    this.moving = true
    clearTimeout(this.restTimer)
    this.restTimer = setTimeout(() => {
      this.moving = false
      this.draw()
    }, 160)
    if (!this.quiet) this.onCamera?.(this.pose())
    this.draw()
  }

  pose(): CameraPose {
    const offset = this.controls.target.clone().sub(this.middle).divideScalar(this.radius)
    return { direction: this.lastDirection.toArray(), up: this.camera.up.toArray(), zoom: this.camera.zoom, offset: offset.toArray() }
  }

  /** Follows another stage's zoom; each view keeps its own direction, since the takes lie in different poses. */
  follow(pose: CameraPose): void {
    this.quiet = true
    this.camera.zoom = pose.zoom
    this.camera.updateProjectionMatrix()
    this.moved()
    this.quiet = false
  }

  orbit(dx: number, dy: number): void {
    const direction = this.lastDirection.clone().applyQuaternion(new Quaternion().setFromAxisAngle(new Vector3(0, 0, 1), dx))
    const side = new Vector3().crossVectors(new Vector3(0, 0, 1), direction).normalize()
    const tilted = direction.clone().applyQuaternion(new Quaternion().setFromAxisAngle(side, dy))
    this.place(Math.abs(tilted.z) < 0.995 ? tilted : direction)
    this.moved()
  }

  pan(dx: number, dy: number): void {
    const s = this.mmPerPixel()
    const right = new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0)
    const up = new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1)
    this.controls.target.addScaledVector(right, dx * s).addScaledVector(up, dy * s)
    this.place(this.lastDirection.clone())
    this.moved()
  }

  zoomBy(factor: number): void {
    this.camera.zoom = Math.min(400, Math.max(0.2, this.camera.zoom * factor))
    this.camera.updateProjectionMatrix()
    this.moved()
  }

  /** The ray under a point of the canvas (CSS pixels from its corner), in world coordinates. */
  ray(x: number, y: number): Ray {
    const nx = (x / this.canvas.clientWidth) * 2 - 1
    const ny = 1 - (y / this.canvas.clientHeight) * 2
    this.camera.updateMatrixWorld()
    const from = new Vector3(nx, ny, -1).unproject(this.camera)
    const to = new Vector3(nx, ny, 1).unproject(this.camera)
    const direction = to.sub(from).normalize()
    return { origin: from.toArray(), direction: direction.toArray(), radiusMm: 8 * this.mmPerPixel() }
  }

  /** Where a world point falls on the canvas, CSS pixels; tests and labels use it. */
  screen(at: readonly [number, number, number]): { x: number; y: number } {
    this.camera.updateMatrixWorld()
    const v = new Vector3(...at).project(this.camera)
    return { x: ((v.x + 1) / 2) * this.canvas.clientWidth, y: ((1 - v.y) / 2) * this.canvas.clientHeight }
  }

  /** How the stage shows things: the matrix from the scene's coordinates to clip space, row by row, and its size in the page's pixels. */
  view(): { matrix: number[]; width: number; height: number } {
    this.camera.updateMatrixWorld()
    const m = new Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse).transpose()
    return { matrix: m.toArray(), width: Math.round(this.canvas.clientWidth), height: Math.round(this.canvas.clientHeight) }
  }

  draw(): void {
    this.anew = true
    this.queue()
  }

  private queue(): void {
    if (this.queued) return
    this.queued = true
    requestAnimationFrame(() => {
      this.queued = false
      this.picture()
      this.onDrawn?.()
    })
  }

  /**
   * Draws what there is to draw. Where the processor draws, a picture comes in parts: the page is never held up long, and where only marks have changed,
   * nothing else is drawn again.
   */
  private picture(): void {
    // Handles and the like lie among the points, half seen through: a picture with them is drawn in one go.
    const atOnce = this.plane !== null || this.motion !== null || this.props !== null
    if (this.anew || atOnce || !this.layers.software) {
      this.anew = false
      this.layers.begin(this.moving, atOnce)
      this.renderer.autoClear = true
      this.renderer.render(this.scene, this.camera)
    } else if (this.layers.goOn()) {
      this.renderer.autoClear = false
      this.renderer.render(this.layers.group, this.camera)
      if (this.pins.children.length > 0) this.renderer.render(this.pins, this.camera)
    }
    if (this.layers.software && !this.moving && !atOnce && !this.layers.whole) this.queue()
  }

  dispose(): void {
    clearTimeout(this.restTimer)
    this.layers.dispose()
    this.setProps(null)
    this.plane?.dispose()
    this.motion?.dispose()
    this.controls.dispose()
    this.renderer.dispose()
  }
}

function disposeGroup(group: Group): void {
  group.traverse((o) => {
    const m = o as Mesh
    m.geometry?.dispose()
    for (const material of Array.isArray(m.material) ? m.material : m.material ? [m.material] : []) material.dispose()
  })
}
