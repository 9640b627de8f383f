import { defineKernel } from '../parallel/kernel'
import { eachItem } from '../parallel/items'
import { RowCamera } from './camera-rows'
import { FaceTexels } from './face-texels'

/** A surface laid out on a sheet, with the photos that show each of its faces. */
export interface SheetWork {
  readonly positions: Float32Array
  readonly indices: Uint32Array
  readonly uvs: Float32Array
  readonly side: number
  /** Where the texels of each face begin. */
  readonly starts: Int32Array
  /** faces×most, and how many that is. */
  readonly views: Uint16Array
  readonly most: number
  /** texels×most×3: what each of the photos shows there, sRGB bytes; 0, 0, 0: nothing. */
  readonly samples: Uint8Array
}

export interface SampleWork extends SheetWork {
  readonly cameras: Float64Array
  readonly photo: number
  /** Of the photo as it was decoded, which may be smaller than the camera says. */
  readonly width: number
  readonly height: number
  readonly rgb: Uint8Array
  readonly counter: Int32Array
}

/** Faces a thread takes at a time. */
const CHUNK = 2048
/** A face that is larger in the picture is projected texel by texel, as a lens bends it. */
const LARGE_PX = 32

/** Reads one photo for all texels of the faces it is one of the best for, mixed of the four pixels round each place. */
export const sampleKernel = defineKernel<SampleWork>('colour.sample', (work, _part, tick) => {
  const camera = new RowCamera(work.cameras, work.photo)
  const texels = new FaceTexels(work.uvs, work.side)
  const faces = work.indices.length / 3
  eachItem(work.counter, Math.ceil(faces / CHUNK), tick, (chunk) => {
    for (let f = chunk * CHUNK, end = Math.min(faces, f + CHUNK); f < end; f++)
      for (let k = 0; k < work.most; k++)
        if (work.views[f * work.most + k] === work.photo) sampleFace(work, camera, texels, f, k)
  })
})

function sampleFace(work: SampleWork, camera: RowCamera, texels: FaceTexels, f: number, slot: number): void {
  texels.fill(f)
  if (texels.count === 0) return
  const { positions: p, indices: t, most, samples, width, height, rgb } = work
  const [a, b, c] = [t[f * 3] * 3, t[f * 3 + 1] * 3, t[f * 3 + 2] * 3]
  const kx = width / camera.width,
    ky = height / camera.height
  camera.project(p[a], p[a + 1], p[a + 2])
  const wa = 1 / camera.depth,
    ua = camera.u * kx * wa,
    va = camera.v * ky * wa
  camera.project(p[b], p[b + 1], p[b + 2])
  const wb = 1 / camera.depth,
    ub = camera.u * kx * wb,
    vb = camera.v * ky * wb
  camera.project(p[c], p[c + 1], p[c + 2])
  const wc = 1 / camera.depth,
    uc = camera.u * kx * wc,
    vc = camera.v * ky * wc
  const spread = Math.max(
    Math.abs(ua / wa - ub / wb),
    Math.abs(va / wa - vb / wb),
    Math.abs(ua / wa - uc / wc),
    Math.abs(va / wa - vc / wc),
  )
  const large = spread > LARGE_PX
  let out = (work.starts[f] * most + slot) * 3
  for (let i = 0; i < texels.count; i++, out += most * 3) {
    const s = texels.second[i],
      r = texels.third[i],
      q = 1 - s - r
    let u: number, v: number
    if (large) {
      camera.project(
        q * p[a] + s * p[b] + r * p[c],
        q * p[a + 1] + s * p[b + 1] + r * p[c + 1],
        q * p[a + 2] + s * p[b + 2] + r * p[c + 2],
      )
      u = camera.u * kx - 0.5
      v = camera.v * ky - 0.5
    } else {
      const w = 1 / (q * wa + s * wb + r * wc)
      u = (q * ua + s * ub + r * uc) * w - 0.5
      v = (q * va + s * vb + r * vc) * w - 0.5
    }
    if (!(u >= 0 && v >= 0 && u < width - 1 && v < height - 1)) continue
    const x = u | 0,
      y = v | 0
    const fx = u - x,
      fy = v - y
    const k = (y * width + x) * 3,
      l = k + width * 3
    const k00 = (1 - fx) * (1 - fy),
      k10 = fx * (1 - fy),
      k01 = (1 - fx) * fy,
      k11 = fx * fy
    samples[out] = k00 * rgb[k] + k10 * rgb[k + 3] + k01 * rgb[l] + k11 * rgb[l + 3] + 0.5
    samples[out + 1] = k00 * rgb[k + 1] + k10 * rgb[k + 4] + k01 * rgb[l + 1] + k11 * rgb[l + 4] + 0.5
    // Black is told from nothing by its blue.
    samples[out + 2] = Math.max(1, k00 * rgb[k + 2] + k10 * rgb[k + 5] + k01 * rgb[l + 2] + k11 * rgb[l + 5] + 0.5)
  }
}
