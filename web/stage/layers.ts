import {
  BufferAttribute,
  BufferGeometry,
  Group,
  Mesh,
  SRGBColorSpace,
  Texture,
  type Box3,
  type Matrix4,
  type Points,
  type ShaderMaterial,
  type WebGLRenderer,
} from 'three'
import type { DrawData } from '@/workers/geometry.worker'
import { DrawnPoints } from './drawn-points'
import { expandByPoints } from './marks'
import { meshMaterial, PAINT_MODES, type PaintMode } from './materials'

export interface Layer {
  readonly key: string
  readonly data: DrawData
  readonly colour: string
  /** Row-major 4×4, mm; null for the identity. */
  readonly rows: number[][] | null
  /** 1 per preview point that is selected. */
  readonly mark?: Uint8Array | null
  /** Changes where the marks do and are still the same array. */
  readonly markStamp?: number | undefined
  /** sRGB per preview point, instead of the pigment. */
  readonly tint?: Uint8Array | null
  /** Only what lies on one side of a line down the picture is drawn, at so much of its width. */
  readonly half?: { readonly side: 'left' | 'right'; readonly at: number } | null
  readonly showEvidence?: boolean
  /** Of a mesh whose places change under the hand: changes where they did, and which vertices are to be sent anew. */
  readonly live?: { readonly stamp: number; readonly dirty: DirtyVertices } | null
  /** What is planned to be seen, one value for each face of a mesh whose faces share no points. */
  readonly paint?: { readonly mode: PaintMode; readonly values: Uint8Array } | null
}

/** Vertices that were changed and not yet sent to the graphics card: from … to − 1. */
export interface DirtyVertices {
  from: number
  to: number
}

const POINT_PX = 2.4
/** Points drawn while the view moves; all of them when it rests. */
const MOVING_POINTS = 60_000
const SOFTWARE_MOVING_POINTS = 15_000
/** Points drawn at rest where the processor draws, and how many of them in one go, so that the page is not held up. */
const SOFTWARE_POINTS = 90_000
const SLICE_POINTS = 10_000
const SOFTWARE_DETAIL = 0.5
let software: boolean | undefined
/** Whether the processor draws, there being no graphics card. */
export function drawsInSoftware(): boolean {
  if (software === undefined) {
    const gl = document.createElement('canvas').getContext('webgl2')
    const info = gl?.getExtension('WEBGL_debug_renderer_info')
    software = /swiftshader|llvmpipe|software/i.test(
      String(gl && info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : ''),
    )
    gl?.getExtension('WEBGL_lose_context')?.loseContext()
  }
  return software
}

interface Built {
  layer: Layer
  readonly object: Points | Mesh
  readonly material: ShaderMaterial
  /** The object, if it is a cloud's. */
  readonly points: DrawnPoints | null
}

/**
 * The shapes on the stage: what changed of them is sent to the graphics card, and no more of their points are drawn
 * than there is time for.
 */
export class StageLayers {
  readonly group = new Group()
  private readonly built = new Map<string, Built>()

  constructor(
    private readonly renderer: WebGLRenderer,
    readonly software: boolean,
  ) {}

  get count(): number {
    return this.built.size
  }

  /**
   * @returns the names of what is shown now, in one, whether nothing but marks of points has changed, and whether places
   * changed under the hand
   */
  set(layers: readonly Layer[]): { shown: string; marksOnly: boolean; worked: boolean } {
    const keep = new Set(layers.map((l) => l.key))
    let marksOnly = keep.size === this.built.size,
      worked = false
    for (const [key, b] of this.built) if (!keep.has(key)) this.remove(key, b)
    for (const layer of layers) {
      const old = this.built.get(layer.key)
      if (old && old.layer.data === layer.data) {
        marksOnly &&= layer.data.kind === 'cloud' && sameButMarks(old.layer, layer)
        worked ||= layer.live !== undefined && layer.live?.stamp !== old.layer.live?.stamp
        this.update(old, layer)
      } else {
        marksOnly = false
        if (old) this.remove(layer.key, old)
        this.add(layer)
      }
    }
    return { shown: [...keep].sort().join(), marksOnly, worked }
  }

  expand(box: Box3): void {
    for (const { object } of this.built.values())
      expandByPoints(box, object.geometry.getAttribute('position').array as Float32Array, object.matrix)
  }

  /**
   * Before a picture is drawn anew.
   * @param moving the view moves, so that few points must do
   * @param atOnce the picture can't be gone on with
   */
  begin(moving: boolean, atOnce: boolean): void {
    const most = this.software ? SOFTWARE_POINTS : Infinity
    const now = moving
      ? this.software
        ? SOFTWARE_MOVING_POINTS
        : MOVING_POINTS
      : this.software && !atOnce
        ? SLICE_POINTS
        : Infinity
    for (const { points } of this.built.values()) points?.begin(this.share(now), this.share(most))
    for (const { object } of this.built.values()) object.visible = true
    if (this.software) this.setDetail(moving ? SOFTWARE_DETAIL : 1)
    // In the pixels that are drawn, which are fewer while the hand turns.
    const { width } = this.renderer.domElement
    for (const { layer, material } of this.built.values()) {
      material.uniforms.splitSide.value = layer.half ? (layer.half.side === 'left' ? -1 : 1) : 0
      material.uniforms.splitAt.value = (layer.half?.at ?? 0) * width
    }
  }

  /**
   * Before more is drawn over a picture that stands: shapes of which nothing is to be added stay out of it.
   * @returns whether anything is
   */
  goOn(): boolean {
    let any = false
    for (const { object, points } of this.built.values()) {
      object.visible = points?.goOn(this.share(SLICE_POINTS)) ?? false
      any ||= object.visible
    }
    return any
  }

  /** The picture holds all it is to hold. */
  get whole(): boolean {
    for (const { points } of this.built.values()) if (points && !points.whole) return false
    return true
  }

  private share(points: number): number {
    return Math.ceil(points / this.built.size)
  }

  private add(layer: Layer): void {
    const { data } = layer
    let points: DrawnPoints | null = null
    let object: Points | Mesh
    let material: ShaderMaterial
    if (data.kind === 'mesh') {
      const geometry = new BufferGeometry()
      geometry.setAttribute('position', new BufferAttribute(data.positions, 3))
      geometry.setAttribute('normal', new BufferAttribute(data.normals, 3))
      geometry.setIndex(new BufferAttribute(data.indices!, 1))
      geometry.setAttribute(
        'evidence',
        new BufferAttribute(Float32Array.from(data.evidence ?? new Uint8Array(data.positions.length / 3)), 1),
      )
      material = meshMaterial(layer.colour)
      if (data.texture) {
        geometry.setAttribute('uv', new BufferAttribute(data.texture.uvs, 2))
        material.uniforms.picture.value = pictureTexture(data.texture.picture)
        material.uniforms.usePicture.value = 1
      }
      object = new Mesh(geometry, material)
    } else {
      points = new DrawnPoints(data, layer.colour, this.pointPx())
      ;({ object } = points)
      ;({ material } = points.object)
    }
    object.matrixAutoUpdate = false
    object.frustumCulled = false
    const built: Built = { layer, object, material, points }
    this.built.set(layer.key, built)
    this.group.add(object)
    this.update(built, layer, true)
  }

  private update(built: Built, layer: Layer, fresh = false): void {
    const before = built.layer
    built.layer = layer
    built.material.uniforms.pigment.value.set(layer.colour)
    if (layer.rows) built.object.matrix.set(...(layer.rows.flat() as Parameters<Matrix4['set']>))
    else built.object.matrix.identity()
    if (built.layer.data.kind === 'mesh') {
      built.material.uniforms.showEvidence.value = layer.showEvidence ? 1 : 0
      built.material.uniforms.useTint.value = layer.tint ? 1 : 0
      if (layer.tint && (fresh || layer.tint !== before.tint))
        built.object.geometry.setAttribute('tint', new BufferAttribute(layer.tint, 3, true))
      if (layer.live && layer.live.stamp !== before.live?.stamp) sendAnew(built.object.geometry, layer.live.dirty)
      built.material.uniforms.paint.value = layer.paint ? PAINT_MODES.indexOf(layer.paint.mode) + 1 : 0
      if (layer.paint) {
        const attribute = built.object.geometry.getAttribute('evidence') as BufferAttribute
        const to = attribute.array as Float32Array,
          from = layer.paint.values
        for (let i = 0; i < from.length; i++) to[i * 3] = to[i * 3 + 1] = to[i * 3 + 2] = from[i]!
        attribute.needsUpdate = true
      }
      return
    }
    // What did not change is not sent to the graphics card again.
    if (fresh || (layer.mark ?? null) !== (before.mark ?? null) || layer.markStamp !== before.markStamp)
      built.points!.setMarks(layer.mark ?? null)
    built.material.uniforms.useTint.value = layer.tint ? 1 : 0
    if (layer.tint && (fresh || layer.tint !== before.tint)) built.points!.setTint(layer.tint)
  }

  private remove(key: string, built: Built): void {
    this.group.remove(built.object)
    built.object.geometry.dispose()
    ;(built.material.uniforms.picture?.value as Texture | null)?.dispose()
    built.material.dispose()
    this.built.delete(key)
  }

  /** Pixels drawn for each of the page's: fewer while the hand turns, where the processor draws them. */
  private setDetail(ratio: number): void {
    if (this.renderer.getPixelRatio() === ratio) return
    this.renderer.setPixelRatio(ratio)
    for (const { material } of this.built.values())
      if (material.uniforms.sizePx) material.uniforms.sizePx.value = this.pointPx()
  }

  private pointPx(): number {
    return (this.software ? POINT_PX * 1.25 : POINT_PX) * this.renderer.getPixelRatio()
  }

  dispose(): void {
    for (const [key, b] of [...this.built]) this.remove(key, b)
  }
}

/** A picture on a mesh: v runs down from its upper edge, as it does in the mesh. */
function pictureTexture(image: ImageBitmap): Texture {
  const texture = new Texture(image)
  texture.flipY = false
  texture.colorSpace = SRGBColorSpace
  texture.anisotropy = 4
  texture.needsUpdate = true
  return texture
}

/** Sends the places and normals of some vertices to the graphics card. */
function sendAnew(geometry: BufferGeometry, dirty: DirtyVertices): void {
  if (dirty.from >= dirty.to) return
  for (const name of ['position', 'normal']) {
    const attribute = geometry.getAttribute(name) as BufferAttribute
    attribute.addUpdateRange(dirty.from * 3, (dirty.to - dirty.from) * 3)
    attribute.needsUpdate = true
  }
  dirty.from = Infinity
  dirty.to = 0
}

/** Two states of a cloud that differ in nothing but which points are marked. */
const sameButMarks = (a: Layer, b: Layer): boolean =>
  a.colour === b.colour && a.rows === b.rows && (a.tint ?? null) === (b.tint ?? null) && a.half === b.half
