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
function hedgehog(): PointCloud {
  const random = seededRandom(3)
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

/** The lamp's two takes as a bench gives them, coarse, and one of something that is none of it. */
export function takesWithStray(): { name: string; mimeType: string; buffer: Buffer }[] {
  const lamp = LAMP_TAKES.map((plan, i) =>
    captureTake(OIL_LAMP, plan, TABLETOP_DEVICE, 1000 + i, quietContext(1), { spacingMm: 0.9 }),
  )
  const file = (name: string, cloud: PointCloud) => ({
    name,
    mimeType: 'application/octet-stream',
    buffer: bytesOf(cloud),
  })
  return [file('upright.ply', lamp[0].cloud), file('side.ply', lamp[1].cloud), file('stray.ply', hedgehog())]
}
