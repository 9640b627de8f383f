import {
  captureTake,
  LAMP_TAKES,
  OIL_LAMP,
  quietContext,
  seededRandom,
  TABLETOP_DEVICE,
  writeShape,
  type PointCloud,
} from '@holosoma/core'

const bytesOf = (cloud: PointCloud): Buffer => Buffer.concat([...writeShape(cloud, 'ply')])

/** Thin spikes out of one point: no stretch of it is like any of the lamp’s surface. */
function hedgehog(seed = 3): PointCloud {
  const random = seededRandom(seed)
  const positions: number[] = [],
    normals: number[] = []
  for (let spike = 0; spike < 40; spike++) {
    const d = [random.gaussian(), random.gaussian(), random.gaussian()]
    const l = Math.hypot(...d)
    const [x, y, z] = d.map((v) => v / l)
    const side = Math.abs(z) < 0.9 ? [y, -x, 0] : [0, z, -y]
    const w = Math.hypot(...side)
    for (let at = 4; at < 60; at += 1.5) {
      positions.push(x * at, y * at, z * at)
      normals.push(...side.map((v) => v / w))
    }
  }
  return { kind: 'cloud', positions: Float32Array.from(positions), normals: Float32Array.from(normals) }
}

interface Dropped {
  name: string
  mimeType: string
  buffer: Buffer
}
const file = (name: string, cloud: PointCloud): Dropped => ({
  name,
  mimeType: 'application/octet-stream',
  buffer: bytesOf(cloud),
})

/** The lamp's two takes as a bench gives them, coarse, and one of something that is none of it. */
export function takesWithStray(): Dropped[] {
  const lamp = LAMP_TAKES.map((plan, i) =>
    captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 1000 + i, quietContext(1), { spacingMm: 0.9 }),
  )
  return [file('upright.ply', lamp[0].cloud), file('side.ply', lamp[1].cloud), file('stray.ply', hedgehog())]
}

/** Nine takes of the lamp, upright and on its side in turn, coarse and free of the table, and two of something else. */
export function elevenTakes(): Dropped[] {
  const tilts = [0, 0, -18, 12, 10, -10, 15, -15, 5]
  const lamp = tilts.map((tilt, i) => {
    const plan = LAMP_TAKES[i % 2]
    const take = { ...plan, elevationDeg: plan.elevationDeg + tilt, headingDeg: plan.headingDeg + i * 23 }
    const { positions } = captureTake(OIL_LAMP, take, TABLETOP_DEVICE, 100 + i, quietContext(1), {
      spacingMm: 1.4,
      pitchMm: 1.8,
    }).cloud
    const free: number[] = []
    for (let k = 0; k < positions.length; k += 3)
      if (positions[k + 2] > 0.8) free.push(positions[k], positions[k + 1], positions[k + 2])
    return file(`lamp ${i + 1}.ply`, { kind: 'cloud', positions: Float32Array.from(free) })
  })
  return [...lamp.slice(0, 4), file('stray 1.ply', hedgehog(3)), ...lamp.slice(4), file('stray 2.ply', hedgehog(8))]
}
