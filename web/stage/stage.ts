import {
  BufferAttribute, BufferGeometry, Group, Matrix4, Mesh, OrthographicCamera, Points, Quaternion, Scene, Vector2, Vector3, WebGLRenderer, Box3, Sprite, MOUSE,
  type ShaderMaterial,
} from 'three'
import { OrbitControls } from 'three/examples/jsm/controls/OrbitControls.js'
import type { DrawData } from '@/workers/geometry.worker'
import { buildFloor, niceStep } from './floor'
import { expandByPoints, pinSprite, type StagePin } from './marks'
import { MotionHandle, type StageMotion } from './motion-handle'
import { PlaneHandle, type StagePlane } from './plane-handle'
import { meshMaterial, pointMaterial, PAINT_MODES, type PaintMode } from './materials'

export type { StagePin, StagePlane }

export interface Layer {
  readonly key: string
  readonly data: DrawData
  readonly colour: string
  /** Row-major 4×4, mm; null for the identity. */
  readonly rows: number[][] | null
  /** 1 per preview point that is selected. */
  readonly mark?: Uint8Array | null
  /** sRGB per preview point, instead of the pigment. */
  readonly tint?: Uint8Array | null
  readonly showEvidence?: boolean
  /** What is planned to be seen, one value for each face of a mesh whose faces share no points. */
  readonly paint?: { readonly mode: PaintMode; readonly values: Uint8Array } | null
}

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

const POINT_PX = 2.4
/** Points drawn while the view moves; all of them when it rests. */
const MOVING_POINTS = 60_000
/** Points drawn at rest where the processor draws. */
const SOFTWARE_POINTS = 90_000
const SOFTWARE_DETAIL = 0.5
const BAR_PX = 110

let software: boolean | undefined
function drawsInSoftware(): boolean {
  if (software === undefined) {
    const gl = document.createElement('canvas').getContext('webgl2')
    const info = gl?.getExtension('WEBGL_debug_renderer_info')
    software = /swiftshader|llvmpipe|software/i.test(String(gl && info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : ''))
    gl?.getExtension('WEBGL_lose_context')?.loseContext()
  }
  return software
}

interface Built { layer: Layer; object: Points | Mesh; material: ShaderMaterial }

/**
 * The 3D view: orthographic, so that a millimetre is the same everywhere and the scale bar is always right. Draws only when something changed,
 * and fewer points while the view moves.
 */
export class Stage {
  private readonly renderer: WebGLRenderer
  private readonly software: boolean
  private readonly scene = new Scene()
  private readonly camera = new OrthographicCamera(-1, 1, 1, -1, -10, 10)
  private readonly controls: OrbitControls
  private readonly shapes = new Group()
  private readonly pins = new Group()
  private props: StageProps | null = null
  private floor: Group | null = null
  private plane: PlaneHandle | null = null
  private motion: MotionHandle | null = null
  private readonly built = new Map<string, Built>()
  private readonly middle = new Vector3()
  private readonly half = new Vector3(60, 60, 60)
  private radius = 60
  private fitted = ''
  private queued = false
  private moving = false
  private hurried = false
  private restTimer: ReturnType<typeof setTimeout> | undefined
  private quiet = false
  onCamera: ((pose: CameraPose) => void) | null = null
  onScale: ((bar: { px: number; mm: number }) => void) | null = null
  onDrawn: (() => void) | null = null

  constructor(private readonly canvas: HTMLCanvasElement) {
    // Without a graphics card each point is drawn by the processor: fewer of them, no smoothing of edges.
    this.software = drawsInSoftware()
    this.renderer = new WebGLRenderer({ canvas, antialias: !this.software, alpha: true })
    this.renderer.setPixelRatio(this.software ? 1 : Math.min(2, window.devicePixelRatio))
    this.camera.up.set(0, 0, 1)
    this.scene.add(this.shapes, this.pins)
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
    const keep = new Set(layers.map((l) => l.key))
    for (const [key, b] of this.built) if (!keep.has(key)) this.remove(key, b)
    for (const layer of layers) {
      const old = this.built.get(layer.key)
      if (old && old.layer.data === layer.data) this.update(old, layer)
      else {
        if (old) this.remove(layer.key, old)
        this.add(layer)
      }
    }
    const shown = [...keep].sort().join()
    if (shown !== this.fitted && layers.length > 0) {
      this.fitted = shown
      this.fit()
    }
    this.draw()
  }

  private add(layer: Layer): void {
    const { data } = layer
    const geometry = new BufferGeometry()
    geometry.setAttribute('position', new BufferAttribute(data.positions, 3))
    geometry.setAttribute('normal', new BufferAttribute(data.normals, 3))
    let object: Points | Mesh
    let material: ShaderMaterial
    if (data.kind === 'mesh') {
      geometry.setIndex(new BufferAttribute(data.indices!, 1))
      geometry.setAttribute('evidence', new BufferAttribute(Float32Array.from(data.evidence ?? new Uint8Array(data.positions.length / 3)), 1))
      material = meshMaterial(layer.colour)
      object = new Mesh(geometry, material)
    } else {
      material = pointMaterial(layer.colour, this.pointPx())
      geometry.setAttribute('mark', new BufferAttribute(new Uint8Array(data.positions.length / 3), 1))
      geometry.setAttribute('tint', new BufferAttribute(new Uint8Array(data.positions.length), 3, true))
      object = new Points(geometry, material)
    }
    object.matrixAutoUpdate = false
    object.frustumCulled = false
    const built = { layer, object, material }
    this.built.set(layer.key, built)
    this.shapes.add(object)
    this.update(built, layer, true)
  }

  private update(built: Built, layer: Layer, fresh = false): void {
    const before = built.layer
    built.layer = layer
    built.material.uniforms.pigment!.value.set(layer.colour)
    if (layer.rows) built.object.matrix.set(...(layer.rows.flat() as Parameters<Matrix4['set']>))
    else built.object.matrix.identity()
    if (built.layer.data.kind === 'mesh') {
      built.material.uniforms.showEvidence!.value = layer.showEvidence ? 1 : 0
      built.material.uniforms.paint!.value = layer.paint ? PAINT_MODES.indexOf(layer.paint.mode) + 1 : 0
      if (layer.paint) {
        const attribute = built.object.geometry.getAttribute('evidence') as BufferAttribute
        const to = attribute.array as Float32Array, from = layer.paint.values
        for (let i = 0; i < from.length; i++) to[i * 3] = to[i * 3 + 1] = to[i * 3 + 2] = from[i]!
        attribute.needsUpdate = true
      }
      return
    }
    const { geometry } = built.object
    // What did not change is not sent to the graphics card again.
    if (fresh || (layer.mark ?? null) !== (before.mark ?? null)) {
      const mark = geometry.getAttribute('mark') as BufferAttribute
      if (layer.mark) (mark.array as Uint8Array).set(layer.mark)
      else (mark.array as Uint8Array).fill(0)
      mark.needsUpdate = true
    }
    built.material.uniforms.useTint!.value = layer.tint ? 1 : 0
    if (layer.tint && (fresh || layer.tint !== before.tint)) {
      const tint = geometry.getAttribute('tint') as BufferAttribute
      ;(tint.array as Uint8Array).set(layer.tint)
      tint.needsUpdate = true
    }
  }

  private remove(key: string, built: Built): void {
    this.shapes.remove(built.object)
    built.object.geometry.dispose()
    built.material.dispose()
    this.built.delete(key)
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
    if (refit && this.built.size > 0) this.fit()
    this.draw()
  }

  /** Shows a cutting plane with its handles, or takes it away; `changed` hears of every move of the hand. */
  /** Handles on one of the shapes; null takes them away. */
  setMotion(motion: StageMotion | null, changed: (rows: number[][]) => void): void {
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

  setPlane(plane: StagePlane | null, changed: (plane: StagePlane) => void): void {
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
    for (const { object } of this.built.values()) {
      expandByPoints(box, object.geometry.getAttribute('position').array as Float32Array, object.matrix)
    }
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

  /** A hand paints on the stage: where the processor draws, fewer points for the time, so that the paint keeps up with the hand. */
  hurry(on: boolean): void {
    if (this.hurried === on) return
    this.hurried = on
    if (this.software) this.draw()
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
    if (this.queued) return
    this.queued = true
    requestAnimationFrame(() => {
      this.queued = false
      for (const { object, layer } of this.built.values()) {
        if (layer.data.kind !== 'cloud') continue
        const n = layer.data.positions.length / 3
        object.geometry.setDrawRange(0, Math.min(n, Math.ceil(this.pointBudget() / this.built.size)))
      }
      if (this.software) this.setDetail(this.moving || this.hurried ? SOFTWARE_DETAIL : 1)
      this.renderer.render(this.scene, this.camera)
      this.onDrawn?.()
    })
  }

  /** Pixels drawn for each of the page's: fewer while the hand turns, where the processor draws them. */
  private setDetail(ratio: number): void {
    if (this.renderer.getPixelRatio() === ratio) return
    this.renderer.setPixelRatio(ratio)
    for (const { material } of this.built.values()) if (material.uniforms.sizePx) material.uniforms.sizePx.value = this.pointPx()
  }

  private pointPx(): number {
    return (this.software ? POINT_PX * 1.25 : POINT_PX) * this.renderer.getPixelRatio()
  }

  private pointBudget(): number {
    if (this.software) return this.moving || this.hurried ? SOFTWARE_POINTS / 4 : SOFTWARE_POINTS
    return this.moving ? MOVING_POINTS : Infinity
  }

  dispose(): void {
    clearTimeout(this.restTimer)
    for (const [key, b] of [...this.built]) this.remove(key, b)
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
