import { BufferAttribute, BufferGeometry, Group, Mesh, Points, type Box3, type Matrix4, type ShaderMaterial, type WebGLRenderer } from 'three'
import type { DrawData } from '@/workers/geometry.worker'
import { expandByPoints } from './marks'
import { meshMaterial, pointMaterial, PAINT_MODES, type PaintMode } from './materials'

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

const POINT_PX = 2.4
/** Points drawn while the view moves; all of them when it rests. */
const MOVING_POINTS = 60_000
/** Points drawn at rest where the processor draws. */
const SOFTWARE_POINTS = 90_000
const SOFTWARE_DETAIL = 0.5
let software: boolean | undefined
/** Whether the processor draws, there being no graphics card. */
export function drawsInSoftware(): boolean {
  if (software === undefined) {
    const gl = document.createElement('canvas').getContext('webgl2')
    const info = gl?.getExtension('WEBGL_debug_renderer_info')
    software = /swiftshader|llvmpipe|software/i.test(String(gl && info ? gl.getParameter(info.UNMASKED_RENDERER_WEBGL) : ''))
    gl?.getExtension('WEBGL_lose_context')?.loseContext()
  }
  return software
}

interface Built {
  layer: Layer
  readonly object: Points | Mesh
  readonly material: ShaderMaterial
  /** The marks on the graphics card are the layer's. */
  marked: boolean
}

/** The shapes on the stage: what changed of them is sent to the graphics card, and no more of their points are drawn than there is time for. */
export class StageLayers {
  readonly group = new Group()
  private readonly built = new Map<string, Built>()

  constructor(private readonly renderer: WebGLRenderer, readonly software: boolean) {}

  get count(): number {
    return this.built.size
  }

  /** @returns the names of what is shown now, in one */
  set(layers: readonly Layer[]): string {
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
    return [...keep].sort().join()
  }

  expand(box: Box3): void {
    for (const { object } of this.built.values()) expandByPoints(box, object.geometry.getAttribute('position').array as Float32Array, object.matrix)
  }

  /** Before a picture is drawn. @param busy the view moves @param hurried a hand paints */
  prepare(busy: boolean, hurried: boolean): void {
    const most = this.software ? SOFTWARE_POINTS : Infinity
    const budget = busy || hurried ? (this.software ? SOFTWARE_POINTS / 4 : busy ? MOVING_POINTS : Infinity) : most
    for (const built of this.built.values()) {
      const { object, layer } = built
      if (layer.data.kind !== 'cloud') continue
      const n = layer.data.positions.length / 3
      object.geometry.setDrawRange(0, Math.min(n, Math.ceil(budget / this.built.size)))
      this.mark(built, Math.min(n, Math.ceil(most / this.built.size)))
    }
    if (this.software) this.setDetail(busy || hurried ? SOFTWARE_DETAIL : 1)
  }

  /** Marks of the points that may be drawn, no more: where the processor draws, each change costs as much as there is of them. */
  private mark(built: Built, count: number): void {
    const { geometry } = built.object
    let mark = geometry.getAttribute('mark') as BufferAttribute | undefined
    if (mark?.count !== count) {
      mark = new BufferAttribute(new Uint8Array(count), 1)
      geometry.setAttribute('mark', mark)
      built.marked = false
    }
    if (built.marked) return
    const array = mark.array as Uint8Array
    if (built.layer.mark) array.set(built.layer.mark.subarray(0, count))
    else array.fill(0)
    mark.needsUpdate = true
    built.marked = true
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
      geometry.setAttribute('tint', new BufferAttribute(new Uint8Array(data.positions.length), 3, true))
      object = new Points(geometry, material)
    }
    object.matrixAutoUpdate = false
    object.frustumCulled = false
    const built: Built = { layer, object, material, marked: false }
    this.built.set(layer.key, built)
    this.group.add(object)
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
      built.marked = false
    }
    built.material.uniforms.useTint!.value = layer.tint ? 1 : 0
    if (layer.tint && (fresh || layer.tint !== before.tint)) {
      const tint = geometry.getAttribute('tint') as BufferAttribute
      ;(tint.array as Uint8Array).set(layer.tint)
      tint.needsUpdate = true
    }
  }

  private remove(key: string, built: Built): void {
    this.group.remove(built.object)
    built.object.geometry.dispose()
    built.material.dispose()
    this.built.delete(key)
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

  dispose(): void {
    for (const [key, b] of [...this.built]) this.remove(key, b)
  }
}
