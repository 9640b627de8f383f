import sharp from 'sharp'
import { beforeAll, describe, expect, test } from 'vitest'
import { emptySample } from '../bench/pieces/piece'
import { DEMO_PIECES, NO_EFFECTS, polygonise } from '../bench'
import { quietContext, type RunContext } from '../context'
import { readGlb } from '../formats/glb'
import { writeGlb } from '../formats/glb-writer'
import { encodeWith } from '../formats/encode-with'
import { compose, rotationMotion } from '../linear/rigid'
import { bakeColour } from '../operations/colour'
import { runOperation } from '../operations/operation'
import type { Pixels } from '../pictures'
import { EVIDENCE, type Picture, type TriangleMesh } from '../shapes'
import { photoSet, type SetPhoto } from '../testing/photo-set'
import { bakePhotos, type Baked, type PhotoSource } from './bake-photos'
import { recordOf } from './camera-record'
import { ciede2000, labOfLight } from './ciede2000'
import { FaceTexels } from './face-texels'
import { LIGHT_OF, toLight } from './srgb'

const gull = DEMO_PIECES.gull
let mesh: TriangleMesh
let photos: SetPhoto[]
/** Pictures by number: the test reads no files. */
const held: Pixels[] = []
const decoded = (picture: Picture): Promise<Pixels> =>
  Promise.resolve(held[new DataView(picture.bytes.buffer).getInt32(0)])
const context = (): RunContext => ({ ...quietContext(), decodePicture: decoded })

const sourceOf = ({ name, photo, camera }: SetPhoto): PhotoSource => {
  held.push({ width: photo.width, height: photo.height, rgb: photo.rgb })
  const bytes = new Uint8Array(4)
  new DataView(bytes.buffer).setInt32(0, held.length - 1)
  return { name, camera, read: () => Promise.resolve({ mime: 'image/png', bytes }) }
}

/** Colour differences to the piece's own colours at texels, one overall factor a channel taken out. */
function differences(
  { mesh: laid, sheet, told, unwrapped }: Baked,
  wanted: (f: number, zone: (x: number, y: number, z: number) => number, at: number[]) => boolean,
): { median: number; p95: number; count: number } {
  const texels = new FaceTexels(laid.uvs!, unwrapped.sheetPx)
  const sample = emptySample()
  const zone = (x: number, y: number, z: number): number => {
    gull.surface(x, y, z, sample)
    return sample.zone
  }
  const rows: { light: number[]; truth: number[]; keep: boolean; told: boolean }[] = []
  const { positions: p, indices: t } = laid
  for (let f = 0; f < told.length; f += 2) {
    texels.fill(f)
    if (texels.count === 0) continue
    const i = texels.count >> 1
    const [s, r] = [texels.second[i], texels.third[i]]
    const at = [0, 1, 2].map(
      (c) => (1 - s - r) * p[t[f * 3] * 3 + c] + s * p[t[f * 3 + 1] * 3 + c] + r * p[t[f * 3 + 2] * 3 + c],
    )
    const keep = wanted(f, zone, at)
    gull.surface(at[0], at[1], at[2], sample)
    rows.push({
      light: [0, 1, 2].map((c) => LIGHT_OF[sheet[texels.at[i] * 3 + c]]),
      truth: [sample.red, sample.green, sample.blue].map((v) => toLight(v / 255)),
      keep,
      told: told[f] === 1,
    })
  }
  const factor = [0, 1, 2].map((c) => {
    const ratios = rows.filter((r) => r.told).map((r) => (r.truth[c] + 0.002) / (r.light[c] + 0.002))
    return ratios.sort((a, b) => a - b)[ratios.length >> 1]
  })
  const [a, b] = [new Float64Array(3), new Float64Array(3)]
  const off = rows
    .filter((r) => r.keep)
    .map(({ light, truth }) => {
      labOfLight(light[0] * factor[0], light[1] * factor[1], light[2] * factor[2], a)
      labOfLight(truth[0], truth[1], truth[2], b)
      return ciede2000(a, b)
    })
    .sort((x, y) => x - y)
  return { median: off[off.length >> 1], p95: off[Math.floor(0.95 * off.length)], count: off.length }
}

beforeAll(() => {
  mesh = polygonise(gull.field, gull.bounds, 3, quietContext())
  photos = [...photoSet(gull, ['upright', 'left', 'inverted'], 10, 320, 7, { ...NO_EFFECTS, drift: true })]
}, 120_000)

describe('the gull from 30 photos of unlike exposures and whites, under a lamp', () => {
  let baked: Baked
  beforeAll(async () => {
    baked = await bakePhotos(mesh, photos.map(sourceOf), { sheetPx: 512 }, context())
  }, 120_000)
  test('its own colours where photos saw it, as far as so small pictures tell them', () => {
    expect(baked.seenShare).toBeGreaterThan(0.985)
    const seen = differences(baked, (f) => baked.told[f] === 1)
    expect(seen.count).toBeGreaterThan(5000)
    expect(seen.median).toBeLessThan(1)
    // Away from borders of colour, over which a pixel of half a millimetre reaches.
    const plain = differences(
      baked,
      (f, zone, [x, y, z]) =>
        baked.told[f] === 1 &&
        [-3, 3].every((d) =>
          [zone(x + d, y, z), zone(x, y + d, z), zone(x, y, z + d)].every((o) => o === zone(x, y, z)),
        ),
    )
    expect(plain.p95).toBeLessThan(2.6)
  })
  test('exposures and whites are found within 1 %', () => {
    // What the phone did to each photo, by how it changed the light of one place that all of a turn show alike.
    const off: number[] = []
    photos.forEach((p, i) => {
      const wanted = Math.log(p.photo.exposureSeconds * 60)
      off.push(baked.levelled.gains[i * 3 + 1] - wanted)
    })
    const mean = off.reduce((s, v) => s + v, 0) / off.length
    expect(Math.sqrt(off.reduce((s, v) => s + (v - mean) ** 2, 0) / off.length)).toBeLessThan(0.01)
  })
  test('cameras that are off by two pixels leave no ghosts at borders of colour', async () => {
    const shifted = photos.map((p, i) => {
      const a = i * 2.4
      const turn = rotationMotion([Math.cos(a), Math.sin(a), 0], 1 / p.camera.focalPx)
      return sourceOf({ ...p, camera: { ...p.camera, motion: compose(turn, p.camera.motion) } })
    })
    const other = await bakePhotos(mesh, shifted, { sheetPx: 512 }, context())
    const near = (b: Baked) =>
      differences(
        b,
        (f, zone, [x, y, z]) =>
          b.told[f] === 1 &&
          [-1, 1].some((d) =>
            [zone(x + d, y, z), zone(x, y + d, z), zone(x, y, z + d)].some((o) => o !== zone(x, y, z)),
          ),
      )
    expect(near(other).count).toBeGreaterThan(100)
    expect(near(other).median).toBeLessThan(1.6 * near(baked).median + 0.5)
  }, 60_000)
  test('the same photos give the same bytes', async () => {
    const one = (): Promise<Baked> => bakePhotos(mesh, photos.slice(0, 6).map(sourceOf), { sheetPx: 256 }, context())
    expect(Buffer.compare((await one()).sheet, (await one()).sheet)).toBe(0)
  }, 60_000)
})

describe('as an act on a skin', () => {
  const run = (list: readonly SetPhoto[], params: object = { sheetPx: 512 }) =>
    runOperation(
      bakeColour,
      { mesh, photos: { kind: 'photos', photos: list.map(sourceOf) } },
      { cameras: list.map((p) => recordOf(p.name, p.camera)), ...params },
      { ...context(), encodePicture: encodeWith(sharp) },
    )
  test('one turn leaves the underside unseen: invented, marked so, and the light from above is told as a doubt', async () => {
    const { outputs, figures, findings } = await run(photos.slice(0, 10))
    const coloured = outputs.mesh as TriangleMesh
    expect(Number(figures.invented)).toBeGreaterThan(0.03)
    expect(Number(figures.invented) + Number(figures.seen)).toBeCloseTo(1, 9)
    const said = Object.fromEntries(findings.map((f) => [f.id, f.verdict]))
    expect(said).toEqual({ 'colour.unseen': 'doubtful', 'colour.oneRing': 'doubtful' })
    // The foot stood on the table; the breast was before the camera.
    const evidenceAt = (test: (x: number, y: number, z: number) => boolean): number[] => {
      const { positions: p, colourEvidence } = coloured
      return [...new Set(Array.from(colourEvidence!).filter((_, v) => test(p[v * 3], p[v * 3 + 1], p[v * 3 + 2])))]
    }
    expect(evidenceAt((x, y, z) => z < 0.2 && Math.hypot(x, y) < 12)).toEqual([EVIDENCE.invented])
    expect(evidenceAt((x, _y, z) => x > 34 && z > 60 && z < 110)).toEqual([EVIDENCE.measured])
    const kept = readGlb(writeGlb(coloured)) as TriangleMesh
    expect(kept.colourEvidence).toEqual(coloured.colourEvidence)
    expect(kept.pictures![0].bytes).toEqual(new Uint8Array(coloured.pictures![0].bytes))
    const { width, height, format, icc } = await sharp(kept.pictures![0].bytes).metadata()
    expect([width, height, format, icc !== undefined]).toEqual([512, 512, 'png', true])
  }, 60_000)
  test('photos of another piece are told to be that', async () => {
    const jug = [...photoSet(DEMO_PIECES.jug, ['upright', 'inverted'], 4, 160, 3)]
    const { findings } = await run(jug)
    expect(findings.find((f) => f.id === 'colour.spread')?.verdict).toBe('unsound')
  }, 60_000)
  test('what makes no sense is refused in a sentence', async () => {
    const two = photos.slice(0, 2)
    await expect(run(two, { sheetPx: 512, dpi: 100 })).rejects.toThrow('not both')
    await expect(run(two, { dpi: 2400 })).rejects.toThrow('up to 16384 are written')
    await expect(run(two.map((p) => ({ ...p, name: 'a.jpg' })))).rejects.toThrow('Two photos of the list have the same')
    const behind = two.map((p) => ({
      ...p,
      camera: { ...p.camera, motion: compose(rotationMotion([0, 1, 0], Math.PI), p.camera.motion) },
    }))
    await expect(run(behind)).rejects.toThrow('None of the photos shows the surface')
    const upended = two.map((p) => ({
      ...p,
      camera: { ...p.camera, widthPx: p.camera.heightPx, heightPx: p.camera.widthPx },
    }))
    await expect(run(upended)).rejects.toThrow(`“upright-001.jpg” has another form than its camera tells`)
    const skewed = recordOf(two[0].name, two[0].camera)
    await expect(
      runOperation(
        bakeColour,
        { mesh, photos: { kind: 'photos', photos: two.slice(1).map(sourceOf) } },
        { cameras: [{ ...skewed, motion: skewed.motion.map((r) => r.map((v) => 2 * v)) }] },
        { ...context(), encodePicture: encodeWith(sharp) },
      ),
    ).rejects.toThrow()
  }, 60_000)
  test('stopped in the middle, it leaves nothing', async () => {
    let calls = 0
    const stopping = { ...context(), encodePicture: encodeWith(sharp), cancelled: () => ++calls > 60 }
    await expect(
      runOperation(
        bakeColour,
        { mesh, photos: { kind: 'photos', photos: photos.slice(0, 6).map(sourceOf) } },
        { cameras: photos.slice(0, 6).map((p) => recordOf(p.name, p.camera)), sheetPx: 256 },
        stopping,
      ),
    ).rejects.toThrow('Stopped at your request')
  }, 60_000)
})
