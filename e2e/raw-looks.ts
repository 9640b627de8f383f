import bunny from 'bunny'
import { writeShape } from '@holosoma/core'
import { compose, meanPoint, rotationMotion, transformPoints } from '@holosoma/core/linear'
import { standardSize, viewsOf } from '@holosoma/core/testing/views'

/**
 * Raw single looks at an open scan (Stanford bunny), each turned any way, with no word of where its device stood.
 * @param zero what lies at the zero point of the files: the device, or the middle of what it saw
 */
export function rawLooks(
  count: number,
  zero: 'device' | 'middle' = 'device',
): { name: string; mimeType: string; buffer: Buffer }[] {
  const mesh = standardSize({
    kind: 'mesh',
    positions: Float32Array.from(bunny.positions.flat()),
    indices: Uint32Array.from(bunny.cells.flat()),
  })
  return viewsOf(mesh, 12, { points: 4000, perPose: count / 2 }).map(({ cloud }, i) => {
    const [x, y, z] = zero === 'device' ? cloud.frameOrigins! : meanPoint(cloud.positions)
    const home = Float64Array.from([1, 0, 0, -x, 0, 1, 0, -y, 0, 0, 1, -z, 0, 0, 0, 1])
    const turned = compose(rotationMotion([Math.sin(i), 1, Math.cos(2 * i)], i * 1.7), home)
    const parts = writeShape({ kind: 'cloud', positions: transformPoints(turned, cloud.positions) }, 'ply')
    return { name: `look ${i + 1}.ply`, mimeType: 'application/octet-stream', buffer: Buffer.concat([...parts]) }
  })
}
