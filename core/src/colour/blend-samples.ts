import { defineKernel } from '../parallel/kernel'
import { eachItem } from '../parallel/items'
import { RowCamera } from './camera-rows'
import { NOBODY } from './choose-views'
import { FaceTexels } from './face-texels'
import type { SheetWork } from './sample-photo'
import { SHADING_TERMS, shadingTerms } from './shading'
import { byteOf, LIGHT_OF } from './srgb'

export interface BlendWork extends SheetWork {
  readonly normals: Float32Array
  readonly cameras: Float64Array
  readonly scores: Uint8Array
  readonly base: Uint8Array
  /** photos×3 and 3×SHADING_TERMS, see `Levelled`; and what all is multiplied by. */
  readonly gains: Float64Array
  readonly shading: Float64Array
  readonly whole: Float64Array
  /** side×side×3 sRGB bytes. */
  readonly sheet: Uint8Array
  /** faces: 1 where photos told the colour of all texels. */
  readonly told: Uint8Array
  readonly counter: Int32Array
}

const CHUNK = 1024
/** How far a photo may be from the others before it is left out: log of the light, more in the dark. */
const LIMIT = 0.14
const DARK = 0.004
/** A reading that is clipped, or just above what the best one left out has, still counts so much. */
const CLIPPED = 250
const LEAST = 0.03
/** Being brighter than another is held against a reading more than being darker: highlights are commoner than soot. */
const BRIGHT = 1.5

/**
 * One colour for each texel of what its photos show there, each freed of its exposure and of the light that stays with
 * the camera. Begun from the reading the others agree with most, then a mean of those near it with Tukey's weights: a
 * camera that is off by a pixel or two, a highlight or a cast shadow is left out and leaves no ghost.
 */
export const blendKernel = defineKernel<BlendWork>('colour.blend', (work, _part, tick) => {
  const blend = new FaceBlend(work)
  const faces = work.indices.length / 3
  eachItem(work.counter, Math.ceil(faces / CHUNK), tick, (chunk) => {
    for (let f = chunk * CHUNK, end = Math.min(faces, f + CHUNK); f < end; f++) blend.face(f)
  })
})

class FaceBlend {
  private readonly texels: FaceTexels
  private readonly cameras: RowCamera[]
  private readonly factor: Float64Array
  private readonly score: Float64Array
  private readonly light: Float64Array
  private readonly logs: Float64Array
  private readonly weight: Float64Array
  private readonly terms = new Float64Array(SHADING_TERMS)
  private readonly turned = new Float64Array(3)
  private readonly points: number

  constructor(private readonly work: BlendWork) {
    this.texels = new FaceTexels(work.uvs, work.side)
    const photos = work.gains.length / 3
    this.cameras = Array.from({ length: photos }, (_, i) => new RowCamera(work.cameras, i))
    this.points = work.positions.length / 3
    this.factor = new Float64Array(work.most * 9)
    this.score = new Float64Array(work.most * 3)
    this.light = new Float64Array(work.most * 3)
    this.logs = new Float64Array(work.most * 3)
    this.weight = new Float64Array(work.most)
  }

  face(f: number): void {
    const { work, texels, score, factor, light, logs, weight } = this
    const { most, samples, sheet } = work
    texels.fill(f)
    let views = 0
    while (views < most && work.views[f * most + views] !== NOBODY) this.corners(f, views++)
    let told = views > 0 ? 1 : 0
    let at = work.starts[f] * most * 3
    for (let i = 0; i < texels.count; i++, at += most * 3) {
      const s = texels.second[i],
        t = texels.third[i],
        q = 1 - s - t
      let n = 0
      for (let k = 0; k < views; k++) {
        const o = at + k * 3
        const r = samples[o],
          g = samples[o + 1],
          b = samples[o + 2]
        if (b === 0) continue
        let w = q * score[k * 3] + s * score[k * 3 + 1] + t * score[k * 3 + 2]
        if (r >= CLIPPED || g >= CLIPPED || b >= CLIPPED) w *= LEAST
        weight[n] = w
        for (let c = 0; c < 3; c++) {
          const d = q * factor[k * 9 + c] + s * factor[k * 9 + 3 + c] + t * factor[k * 9 + 6 + c]
          const v = LIGHT_OF[c === 0 ? r : c === 1 ? g : b] * d
          light[n * 3 + c] = v
          logs[n * 3 + c] = Math.log(v + DARK)
        }
        n++
      }
      const o = texels.at[i] * 3
      if (n === 0) told = 0
      else this.mix(n, o, sheet)
    }
    work.told[f] = told
  }

  /** What a photo's light is multiplied by at each corner, and what the photo counts there. */
  private corners(f: number, k: number): void {
    const { work, terms, turned } = this
    const photo = work.views[f * work.most + k]
    const camera = this.cameras[photo]
    for (let corner = 0; corner < 3; corner++) {
      const v = work.indices[f * 3 + corner]
      camera.turn(work.normals[v * 3], work.normals[v * 3 + 1], work.normals[v * 3 + 2], turned)
      shadingTerms(turned[0], turned[1], turned[2], terms)
      for (let c = 0; c < 3; c++) {
        let log = work.gains[photo * 3 + c]
        for (let j = 0; j < SHADING_TERMS; j++) log += work.shading[c * SHADING_TERMS + j] * terms[j]
        this.factor[k * 9 + corner * 3 + c] = work.whole[c] * Math.exp(-log)
      }
      const score = work.scores[photo * this.points + v]
      this.score[k * 3 + corner] = Math.max(LEAST * score, score - work.base[f])
    }
  }

  private mix(n: number, out: number, sheet: Uint8Array): void {
    const { light, logs, weight } = this
    let from = 0
    if (n > 1) {
      let least = Infinity
      for (let i = 0; i < n; i++) {
        let off = 0
        for (let j = 0; j < n; j++)
          if (j !== i)
            off += weight[j] * Math.min(3 * LIMIT, apart(logs, i, j)) * (logs[i * 3 + 1] > logs[j * 3 + 1] ? BRIGHT : 1)
        if (off < least) {
          least = off
          from = i
        }
      }
    }
    let r = light[from * 3],
      g = light[from * 3 + 1],
      b = light[from * 3 + 2]
    if (n > 1)
      for (let round = 0; round < 2; round++) {
        const lr = Math.log(r + DARK),
          lg = Math.log(g + DARK),
          lb = Math.log(b + DARK)
        const limit = LIMIT * (1 + DARK / (g + DARK))
        let sum = 0,
          sr = 0,
          sg = 0,
          sb = 0
        for (let i = 0; i < n; i++) {
          const d2 =
            ((logs[i * 3] - lr) ** 2 + 2 * (logs[i * 3 + 1] - lg) ** 2 + (logs[i * 3 + 2] - lb) ** 2) /
            (4 * limit * limit)
          if (d2 >= 1) continue
          const w = weight[i] * (1 - d2) * (1 - d2)
          sum += w
          sr += w * light[i * 3]
          sg += w * light[i * 3 + 1]
          sb += w * light[i * 3 + 2]
        }
        if (!(sum > 0)) break
        r = sr / sum
        g = sg / sum
        b = sb / sum
      }
    sheet[out] = byteOf(r)
    sheet[out + 1] = byteOf(g)
    // A texel that is all black would pass for one without colour.
    sheet[out + 2] = Math.max(1, byteOf(b))
  }
}

/** How far two readings lie from each other: log of the light, green counted twice. */
const apart = (logs: Float64Array, i: number, j: number): number =>
  Math.sqrt(
    ((logs[i * 3] - logs[j * 3]) ** 2 +
      2 * (logs[i * 3 + 1] - logs[j * 3 + 1]) ** 2 +
      (logs[i * 3 + 2] - logs[j * 3 + 2]) ** 2) /
      4,
  )
