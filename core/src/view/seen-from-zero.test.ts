import bunny from 'bunny'
import { describe, expect, test } from 'vitest'
import { captureTake, LAMP_TAKES, ROAD_SPACING_MM, TABLETOP_DEVICE } from '../bench/capture'
import { OIL_LAMP } from '../bench/pieces'
import { estimateFeatures } from '../cloud/normals'
import { quietContext } from '../context'
import { seededRandom } from '../linear/random'
import { compose, invertRigid, rotationMotion, transformPoints } from '../linear/rigid'
import { torus } from '../testing/solids'
import { SPOILS } from '../testing/spoiled-view'
import { standardSize, viewsOf } from '../testing/views'
import { cloudOfMesh } from '../mesh/normals'
import type { PointCloud, TriangleMesh } from '../shapes'
import { asOwnView, seenFromZero } from './seen-from-zero'

/* Views of an open scan (Stanford bunny) and of a ring, each in the coordinates of the device that took it. */

const MESHES: Record<string, TriangleMesh> = {
  bunny: {
    kind: 'mesh',
    positions: Float32Array.from(bunny.positions.flat()),
    indices: Uint32Array.from(bunny.cells.flat()),
  },
  ring: torus(30, 9, 80, 50),
}
/** A view with the device at zero, its normals noisy by 3°, a few points astray. */
function scanned(view: PointCloud, seed: number): PointCloud {
  const random = seededRandom(seed)
  const o = view.frameOrigins!
  const turn = rotationMotion([random.gaussian(), random.gaussian(), random.gaussian()], random.next() * 6)
  const home = compose(turn, Float64Array.from([1, 0, 0, -o[0], 0, 1, 0, -o[1], 0, 0, 1, -o[2], 0, 0, 0, 1]))
  const positions = transformPoints(home, view.positions)
  for (let k = 0; k < positions.length / 3; k += 500) {
    const f = 1 + 0.01 * random.gaussian()
    for (let c = 0; c < 3; c++) positions[k * 3 + c] *= f
  }
  const { normals } = estimateFeatures({ kind: 'cloud', positions }, quietContext())
  for (let i = 0; i < normals.length; i += 3) {
    // As a device writes them: towards itself.
    const away = normals[i] * positions[i] + normals[i + 1] * positions[i + 1] + normals[i + 2] * positions[i + 2] > 0
    for (let c = 0; c < 3; c++) normals[i + c] = (away ? -1 : 1) * normals[i + c] + 0.052 * random.gaussian()
  }
  return { kind: 'cloud', positions, normals }
}

describe('a cloud that was seen from its own zero point', () => {
  test.each(Object.keys(MESHES))('%s: each of its views is known, with normals and without', (name) => {
    viewsOf(standardSize(MESHES[name]), 3, { points: 6000, perPose: 4 }).forEach((view, i) => {
      const cloud = scanned(view.cloud, i)
      const told = seenFromZero(cloud)
      expect(told.isView).toBe(true)
      expect(told.facing!).toBeGreaterThan(0.97)
      expect(told.awayMm).toBeGreaterThan(300)
      expect(seenFromZero({ ...cloud, normals: undefined }).isView).toBe(true)
      expect(Array.from(asOwnView(cloud).frameOrigins!)).toEqual([-0, -0, -0])
    })
  })
  test('far from zero it is the zero of the file that counts', () => {
    const [view] = viewsOf(standardSize(MESHES.bunny), 3, { points: 6000, perPose: 1 })
    const cloud = scanned(view.cloud, 1)
    const originMm = [
      Math.round(cloud.positions[0]),
      Math.round(cloud.positions[1]),
      Math.round(cloud.positions[2]),
    ] as const
    const shifted = { ...cloud, positions: cloud.positions.map((v, i) => v - originMm[i % 3]), originMm }
    expect(seenFromZero(shifted).isView).toBe(true)
    expect(Array.from(asOwnView(shifted).frameOrigins!)).toEqual(originMm.map((v) => -v))
  })
})

describe('what is no single look from zero is not taken for one', () => {
  test('looks that lie anywhere, but for few whose zero point lies before them by chance', () => {
    const seen = [1, 2]
      .flatMap((seed) => viewsOf(standardSize(MESHES.bunny), seed, { points: 8000, perPose: 8, spoils: SPOILS }))
      .map(({ cloud }) => seenFromZero({ kind: 'cloud', positions: cloud.positions }))
    expect(seen.filter((s) => s.isView).length).toBeLessThanOrEqual(4)
    // Some lie smoothly before their zero point and are told by what it would have seen at a glance only.
    expect(seen.filter((s) => s.torn < 0.12 && s.grazing > 0.015).length).toBeGreaterThan(1)
  })
  test('two views in the coordinates of the first', () => {
    const views = viewsOf(standardSize(MESHES.bunny), 3, { points: 6000, perPose: 4 })
    const first = scanned(views[0].cloud, 1)
    // The other side of the bunny, laid where the first has it.
    const other = views[2].cloud
    const o = views[0].cloud.frameOrigins!
    const toFirst = compose(invertRigid(views[0].truth), views[2].truth)
    const there = transformPoints(toFirst, other.positions).map((v, i) => v - o[i % 3])
    const plain = views[0].cloud.positions.map((v, i) => v - o[i % 3])
    const both: PointCloud = { kind: 'cloud', positions: Float32Array.from([...plain, ...there]) }
    expect(seenFromZero({ kind: 'cloud', positions: plain }).isView).toBe(true)
    expect(seenFromZero(both).isView).toBe(false)
    expect(first.positions.length).toBe(plain.length)
  })
  test('a whole piece, wherever zero lies; a take of a turntable; too few points', () => {
    const whole = cloudOfMesh(standardSize(MESHES.bunny))
    for (const away of [0, 60, 400]) {
      const moved = { ...whole, positions: whole.positions.map((v, i) => (i % 3 === 0 ? v + away : v)) }
      expect(seenFromZero(moved).isView).toBe(false)
      expect(seenFromZero({ ...moved, normals: undefined }).isView).toBe(false)
    }
    const take = captureTake(OIL_LAMP, LAMP_TAKES[0], TABLETOP_DEVICE, 1, quietContext(), {
      spacingMm: ROAD_SPACING_MM,
    })
    expect(seenFromZero({ kind: 'cloud', positions: take.cloud.positions }).isView).toBe(false)
    const lifted = take.cloud.positions.map((v, i) => (i % 3 === 2 ? v - 300 : v))
    expect(seenFromZero({ kind: 'cloud', positions: lifted }).isView).toBe(false)
    expect(seenFromZero({ kind: 'cloud', positions: whole.positions.slice(0, 300) }).isView).toBe(false)
  })
})
