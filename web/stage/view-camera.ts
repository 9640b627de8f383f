import { Matrix4, MOUSE, OrthographicCamera, Quaternion, Vector3 } from 'three'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import type { Hand } from '@/lib/settings'
import { niceStep } from './floor'

export interface Ray {
  readonly origin: [number, number, number]
  readonly direction: [number, number, number]
  /** Millimetres that eight screen pixels cover. */
  readonly radiusMm: number
  /** How hard the pointer was pressed, 0–1, where that is told. */
  readonly pressure?: number
}

export interface CameraPose {
  readonly direction: readonly [number, number, number]
  readonly up: readonly [number, number, number]
  readonly zoom: number
  /** Offset of the target from the middle of what is shown, mm. */
  readonly offset: readonly [number, number, number]
}

const BAR_PX = 110
const FIRST_LOOK = [0.55, -0.95, 0.75] as const
/**
 * Of the radius of what is shown: the eye stands so far off, which in an orthographic view only keeps things from being
 * cut.
 */
const FAR_OFF = 8
const MIN_ZOOM = 0.2
const MAX_ZOOM = 400

/** Sides a piece is looked at from: where the eye stands. */
export const SIDES = {
  front: [0, -1, 0],
  back: [0, 1, 0],
  left: [-1, 0, 0],
  right: [1, 0, 0],
  top: [0, 0, 1],
  underneath: [0, 0, -1],
} as const
export type Side = keyof typeof SIDES

/** Views that can be gone back to. */
const KEPT_VIEWS = 40
/** Straight from above or below the eye has no up: it leans by so much, too little to see. */
const LEAN = 1e-4

/** The eye of a stage: orthographic, turned about what is shown. Tells when it moved. */
/** So many times nearer than the whole at most, when a place is gone to. */
const MOST_NEAR = 40

export class ViewCamera {
  readonly camera = new OrthographicCamera(-1, 1, 1, -1, -10, 10)
  readonly middle = new Vector3()
  readonly half = new Vector3(60, 60, 60)
  radius = 60
  private readonly controls: OrbitControls
  private direction = new Vector3(...FIRST_LOOK).normalize()
  private quiet = false
  private hand: Hand = 'mouse'
  private readonly before: CameraPose[] = []
  onPose: ((pose: CameraPose) => void) | null = null
  onScale: ((bar: { px: number; mm: number }) => void) | null = null

  constructor(
    private readonly canvas: HTMLCanvasElement,
    private readonly onMoved: () => void,
  ) {
    this.camera.up.set(0, 0, 1)
    // Heard before the controls hear it: what moves the view must not zoom it, too.
    canvas.addEventListener('wheel', this.onWheel, { passive: false })
    this.controls = new OrbitControls(this.camera, canvas)
    this.controls.enableDamping = false
    this.controls.zoomToCursor = true
    this.controls.mouseButtons = { LEFT: MOUSE.ROTATE, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.PAN }
    this.place(this.direction.clone())
    this.controls.addEventListener('start', () => this.remember())
    // From here on: whoever listens is not there yet.
    this.controls.addEventListener('change', () => this.moved())
  }

  /** Which button turns and which moves; on a trackpad two fingers move, and a pinch (a wheel with Ctrl) zooms. */
  setHand(hand: Hand): void {
    this.hand = hand
    this.controls.mouseButtons =
      hand === 'left'
        ? { LEFT: MOUSE.PAN, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.ROTATE }
        : { LEFT: MOUSE.ROTATE, MIDDLE: MOUSE.PAN, RIGHT: MOUSE.PAN }
  }

  private readonly onWheel = (event: WheelEvent): void => {
    if (this.hand !== 'trackpad' || event.ctrlKey || !this.controls.enabled) return
    event.preventDefault()
    event.stopImmediatePropagation()
    this.pan(event.deltaX, -event.deltaY)
  }

  /** While a handle is held the pointer does not turn the view. */
  hold(held: boolean): void {
    this.controls.enabled = !held
  }

  /** Looks at all of a box from where it is, as large as the view allows. */
  lookAt(middle: Vector3, half: Vector3, aspect: number): void {
    this.middle.copy(middle)
    this.half.copy(half)
    this.radius = Math.max(1e-6, half.length())
    this.controls.target.copy(middle)
    this.camera.zoom = 1
    this.place(
      this.camera.position.clone().sub(middle).lengthSq() > 0
        ? this.direction.clone()
        : new Vector3(...FIRST_LOOK).normalize(),
    )
    this.camera.updateMatrixWorld()
    this.frame(aspect)
  }

  /** Fits the box that is looked at into a view of another shape. */
  frame(aspect: number): void {
    // The box's corners as the camera sees them; a flat piece then fills the view better than its sphere would.
    const right = new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 0)
    const up = new Vector3().setFromMatrixColumn(this.camera.matrixWorld, 1)
    let halfWidth = this.radius * 0.45,
      halfHeight = this.radius * 0.45
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
    this.reportScale()
  }

  /** Millimetres one CSS pixel covers; the same all over the view. */
  mmPerPixel(): number {
    return (this.camera.top - this.camera.bottom) / this.camera.zoom / Math.max(1, this.canvas.clientHeight)
  }

  /** Right, up and towards the eye, as the stage is seen now. */
  axes(): number[][] {
    this.camera.updateMatrixWorld()
    return [0, 1, 2].map((k) => new Vector3().setFromMatrixColumn(this.camera.matrixWorld, k).toArray())
  }

  pose(): CameraPose {
    const offset = this.controls.target.clone().sub(this.middle).divideScalar(this.radius)
    return {
      direction: this.direction.toArray(),
      up: this.camera.up.toArray(),
      zoom: this.camera.zoom,
      offset: offset.toArray(),
    }
  }

  /** Follows another stage's zoom; each view keeps its own direction, since the takes lie in different poses. */
  follow(pose: CameraPose): void {
    this.quiet = true
    this.camera.zoom = pose.zoom
    this.camera.updateProjectionMatrix()
    this.moved()
    this.quiet = false
  }

  /** Takes over all of another stage's view: for the same thing beside itself. */
  followWhole(pose: CameraPose): void {
    this.quiet = true
    this.take(pose)
    this.quiet = false
  }

  /** Looks from a side, or along a direction the eye is to stand in. */
  look(from: Side | readonly [number, number, number]): void {
    this.remember()
    const [x, y, z] = typeof from === 'string' ? SIDES[from] : from
    const direction = new Vector3(x, y, z).normalize()
    // Above and below, what was in front stays at the lower edge.
    if (Math.abs(direction.z) > 1 - LEAN * LEAN) direction.y -= LEAN
    this.place(direction.normalize())
    this.moved()
  }

  /**
   * Goes near a place, so that what is so large fills about a third of the view.
   * @param facing where the eye is to stand from there; left out, it looks the way it does
   */
  near(at: Vector3, radiusMm: number, facing?: readonly [number, number, number]): void {
    this.remember()
    this.controls.target.copy(at)
    this.camera.zoom = Math.min(MOST_NEAR, Math.max(1, this.camera.top / (3 * Math.max(radiusMm, 1e-6))))
    this.camera.updateProjectionMatrix()
    this.place(facing ? new Vector3(...facing).normalize() : this.direction.clone())
    this.moved()
  }

  /** Back to the view before the last that was chosen. @returns whether there was one */
  back(): boolean {
    const pose = this.before.pop()
    if (pose) this.take(pose)
    return pose !== undefined
  }

  private remember(): void {
    this.before.push(this.pose())
    if (this.before.length > KEPT_VIEWS) this.before.shift()
  }

  private take({ direction, zoom, offset }: CameraPose): void {
    this.camera.zoom = zoom
    this.camera.updateProjectionMatrix()
    this.controls.target
      .set(...offset)
      .multiplyScalar(this.radius)
      .add(this.middle)
    this.place(new Vector3(...direction))
    this.moved()
  }

  orbit(dx: number, dy: number): void {
    const direction = this.direction
      .clone()
      .applyQuaternion(new Quaternion().setFromAxisAngle(new Vector3(0, 0, 1), dx))
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
    this.place(this.direction.clone())
    this.moved()
  }

  zoomBy(factor: number): void {
    this.camera.zoom = Math.min(MAX_ZOOM, Math.max(MIN_ZOOM, this.camera.zoom * factor))
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

  /**
   * How the stage shows things: the matrix from the scene's coordinates to clip space, row by row, and its size in the
   * page's pixels.
   */
  view(): { matrix: number[]; width: number; height: number } {
    this.camera.updateMatrixWorld()
    const m = new Matrix4().multiplyMatrices(this.camera.projectionMatrix, this.camera.matrixWorldInverse).transpose()
    return {
      matrix: m.toArray(),
      width: Math.round(this.canvas.clientWidth),
      height: Math.round(this.canvas.clientHeight),
    }
  }

  dispose(): void {
    this.canvas.removeEventListener('wheel', this.onWheel)
    this.controls.dispose()
  }

  private place(direction: Vector3): void {
    this.direction.copy(direction)
    this.camera.position.copy(this.controls.target).addScaledVector(direction, this.radius * FAR_OFF)
    this.camera.near = 0
    this.camera.far = this.radius * 2 * FAR_OFF
    this.controls.update()
  }

  private moved(): void {
    this.direction.copy(this.camera.position).sub(this.controls.target).normalize()
    this.reportScale()
    this.onMoved()
    if (!this.quiet) this.onPose?.(this.pose())
  }

  private reportScale(): void {
    const perPixel = this.mmPerPixel()
    if (!(perPixel > 0) || !Number.isFinite(perPixel)) return
    const mm = niceStep(BAR_PX * perPixel * 0.8)
    this.onScale?.({ px: mm / perPixel, mm })
  }
}
