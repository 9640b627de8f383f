import { Box3, Group, Scene, Sprite, Vector2, Vector3, WebGLRenderer } from 'three'
import { ink } from '@/lib/inks'
import type { Hand } from '@/lib/settings'
import { buildFloor, clearFigures, clearFloor, type FloorInks } from './floor'
import { drawsInSoftware, StageLayers, type Layer } from './layers'
import { disposeGroup, disposeSprite } from './dispose'
import { EdgeLinesMark } from './edge-lines'
import { pinSprite, type StagePin } from './marks'
import { MotionHandle, type StageMotion } from './motion-handle'
import { PlaneHandle, type StagePlane } from './plane-handle'
import { ViewCamera, type CameraPose, type Ray, type Side } from './view-camera'

export type { CameraPose, Layer, Ray, Side, StagePin, StagePlane }

/** Things on the stage that are no shape: table, device, dots. */
export interface StageProps {
  readonly group: Group
  /** Height of the floor; under the shapes when left out. */
  readonly floorZ: number
  /** How far from the middle the view must reach, mm. */
  readonly reachMm: number
}

/** The view rests when it has not moved for so long. */
const REST_MS = 160

/** A place on what is shown, how large it is, and which way it faces, where that is known. */
export interface StagePlace {
  readonly at: readonly [number, number, number]
  readonly radiusMm: number
  readonly facing?: readonly [number, number, number]
}

/**
 * The 3D view: orthographic, so that a millimetre is the same everywhere and the scale bar is always right. Draws only
 * when something changed, and fewer points while the view moves.
 */
export class Stage {
  private readonly renderer: WebGLRenderer
  private readonly layers: StageLayers
  private readonly scene = new Scene()
  private readonly eye: ViewCamera
  private readonly pins = new Group()
  private props: StageProps | null = null
  private floor: Group | null = null
  private plane: PlaneHandle | null = null
  private lines: EdgeLinesMark | null = null
  private motion: MotionHandle | null = null
  private fitted = ''
  private queued = false
  private moving = false
  /** The picture is to be drawn from nothing, not gone on with. */
  private anew = true
  private restTimer: ReturnType<typeof setTimeout> | undefined
  onDrawn: (() => void) | null = null

  constructor(private readonly canvas: HTMLCanvasElement) {
    // Without a graphics card each point is drawn by the processor: fewer of them, no smoothing of edges.
    const software = drawsInSoftware()
    this.renderer = new WebGLRenderer({ canvas, antialias: !software, alpha: true, preserveDrawingBuffer: software })
    this.renderer.setPixelRatio(software ? 1 : Math.min(2, window.devicePixelRatio))
    this.layers = new StageLayers(this.renderer, software)
    this.scene.add(this.layers.group, this.pins)
    this.eye = new ViewCamera(canvas, () => this.moved())
  }

  set onCamera(heard: (pose: CameraPose) => void) {
    this.eye.onPose = heard
  }

  set onScale(heard: (bar: { px: number; mm: number }) => void) {
    this.eye.onScale = heard
  }

  resize(width: number, height: number): void {
    if (width < 2 || height < 2) return
    this.renderer.setSize(width, height, false)
    this.eye.frame(this.aspect())
    this.sizePins()
    this.draw()
  }

  setLayers(layers: readonly Layer[]): void {
    const { shown, marksOnly, worked } = this.layers.set(layers)
    if (shown !== this.fitted && layers.length > 0) {
      this.fitted = shown
      this.fit()
    }
    if (worked) this.stirred()
    else if (marksOnly && this.layers.software) this.queue()
    else this.draw()
  }

  setPins(pins: readonly StagePin[]): void {
    const keyOf = (p: StagePin): string => JSON.stringify([p.at, p.text, p.colour])
    const wanted = new Map(pins.map((p) => [keyOf(p), p]))
    let gone = false
    for (const child of [...this.pins.children]) {
      if (wanted.delete(child.name)) continue
      disposeSprite(child as Sprite)
      this.pins.remove(child)
      gone = true
    }
    for (const [name, pin] of wanted) this.pins.add(Object.assign(pinSprite(pin), { name }))
    this.sizePins()
    if (gone || !this.layers.software) this.draw()
    else if (wanted.size > 0) this.queue()
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
      this.motion ??= new MotionHandle(
        this.scene,
        this.eye.camera,
        this.canvas,
        changed,
        (held) => this.eye.hold(held),
        () => this.draw(),
      )
      this.motion.place(motion)
    }
    this.draw()
  }

  /** Lines over what stands there, pairs of places in mm; null takes them away. */
  setLines(segments: Float32Array | null): void {
    if ((this.lines?.segments ?? null) === segments) return
    this.lines?.dispose()
    this.lines = segments && segments.length > 0 ? new EdgeLinesMark(this.scene, segments) : null
    this.draw()
  }

  /** Shows a cutting plane with its handles, or takes it away; `changed` hears of every move of the hand. */
  setPlane(plane: StagePlane | null, changed: (plane: StagePlane) => void): void {
    if (!plane && !this.plane) return
    if (!plane) {
      this.plane?.dispose()
      this.plane = null
    } else {
      this.plane ??= new PlaneHandle(
        this.scene,
        this.eye.camera,
        this.canvas,
        this.eye.radius,
        changed,
        (held) => this.eye.hold(held),
        () => this.draw(),
      )
      this.plane.place(plane, this.eye.middle)
    }
    this.draw()
  }

  private inks(): FloorInks {
    return {
      fine: ink('floor-fine', '#E4DCCB'),
      heavy: ink('floor-heavy', '#CDC3AE'),
      text: ink('floor-text', '#7B7361'),
    }
  }

  /** Day became night, or night day: the floor is drawn anew, the view stays. */
  recolour(): void {
    if (!this.floor) return
    const { x, y, z } = this.floor.position
    this.scene.remove(this.floor)
    clearFloor(this.floor)
    this.floor = buildFloor(this.eye.radius, z, this.inks())
    this.floor.position.set(x, y, z)
    this.scene.add(this.floor)
    this.draw()
  }

  /** How the hand turns, moves and zooms. */
  setHand(hand: Hand): void {
    this.eye.setHand(hand)
  }

  /** Brings all that is shown into view, floor under it. */
  fit(): void {
    const box = new Box3()
    this.layers.expand(box)
    if (box.isEmpty()) return
    const middle = box.getCenter(new Vector3()),
      half = box.getSize(new Vector3()).multiplyScalar(0.5)
    if (this.props) {
      const { reachMm, floorZ } = this.props
      half.set(Math.max(half.x, reachMm), Math.max(half.y, reachMm), half.z)
      middle.set(0, 0, (floorZ + box.max.z) / 2)
    }
    this.eye.lookAt(middle, half, this.aspect())
    if (this.floor) {
      this.scene.remove(this.floor)
      clearFloor(this.floor)
    }
    this.floor = buildFloor(this.eye.radius, this.props?.floorZ ?? box.min.z, this.inks())
    this.floor.position.x = middle.x
    this.floor.position.y = middle.y
    this.scene.add(this.floor)
    this.sizePins()
    this.draw()
  }

  /** Goes near a place, and looks at it from where it faces. */
  near({ at, radiusMm, facing }: StagePlace): void {
    this.eye.near(new Vector3(...at), radiusMm, facing)
    this.sizePins()
    this.draw()
  }

  private aspect(): number {
    const size = this.renderer.getSize(new Vector2())
    return size.x / Math.max(1, size.y)
  }

  private sizePins(): void {
    const s = this.eye.mmPerPixel()
    for (const pin of this.pins.children) pin.scale.set(34 * s, 42 * s, 1)
  }

  private moved(): void {
    this.sizePins()
    this.stirred()
  }

  /** What is shown changes again and again: drawn as quickly as can be, until it rests. */
  private stirred(): void {
    this.moving = true
    clearTimeout(this.restTimer)
    this.restTimer = setTimeout(() => {
      this.moving = false
      this.draw()
    }, REST_MS)
    this.draw()
  }

  axes = (): number[][] => this.eye.axes()
  pose = (): CameraPose => this.eye.pose()
  view = (): ReturnType<ViewCamera['view']> => this.eye.view()
  ray = (x: number, y: number): Ray => this.eye.ray(x, y)
  screen = (at: readonly [number, number, number]): { x: number; y: number } => this.eye.screen(at)
  follow = (pose: CameraPose): void => this.eye.follow(pose)
  followWhole = (pose: CameraPose): void => this.eye.followWhole(pose)
  look = (from: Side | readonly [number, number, number]): void => this.eye.look(from)
  back = (): boolean => this.eye.back()
  orbit = (dx: number, dy: number): void => this.eye.orbit(dx, dy)
  pan = (dx: number, dy: number): void => this.eye.pan(dx, dy)
  zoomBy = (factor: number): void => this.eye.zoomBy(factor)

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
   * Draws what there is to draw. Where the processor draws, a picture comes in parts: the page is never held up long,
   * and where only marks have changed, nothing else is drawn again.
   */
  private picture(): void {
    // Handles and the like lie among the points, half seen through: a picture with them is drawn in one go.
    const atOnce = this.lines !== null || this.plane !== null || this.motion !== null || this.props !== null
    if (this.anew || atOnce || !this.layers.software) {
      this.anew = false
      this.layers.begin(this.moving, atOnce)
      if (this.floor) clearFigures(this.floor, this.eye.camera, this.canvas.clientWidth, this.canvas.clientHeight)
      this.renderer.autoClear = true
      this.renderer.render(this.scene, this.eye.camera)
    } else {
      this.renderer.autoClear = false
      if (this.layers.goOn()) this.renderer.render(this.layers.group, this.eye.camera)
      // They lie over everything.
      if (this.pins.children.length > 0) this.renderer.render(this.pins, this.eye.camera)
    }
    if (this.layers.software && !this.moving && !atOnce && !this.layers.whole) this.queue()
  }

  dispose(): void {
    clearTimeout(this.restTimer)
    this.layers.dispose()
    if (this.props) disposeGroup(this.props.group)
    if (this.floor) disposeGroup(this.floor)
    disposeGroup(this.pins)
    this.plane?.dispose()
    this.lines?.dispose()
    this.motion?.dispose()
    this.eye.dispose()
    this.renderer.dispose()
  }
}
