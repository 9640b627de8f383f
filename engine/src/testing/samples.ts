import type { PointCloud } from '@holosoma/core'
import type { NewStep, Track } from '../ledger/ledger'

/** Points spread evenly over a ball (Vogel's spiral), with their normals. */
export const sphere = (n: number, radius = 10): PointCloud => {
  const positions = new Float32Array(n * 3),
    normals = new Float32Array(n * 3)
  for (let i = 0; i < n; i++) {
    const z = 1 - (2 * i + 1) / n,
      s = Math.sqrt(1 - z * z),
      a = i * Math.PI * (3 - Math.sqrt(5))
    ;[s * Math.cos(a), s * Math.sin(a), z].forEach((v, c) => {
      positions[i * 3 + c] = radius * v
      normals[i * 3 + c] = v
    })
  }
  return { kind: 'cloud', positions, normals }
}

/** A step that did something small. */
export const step = (track: Track, over: Partial<NewStep> = {}): NewStep => ({
  track,
  operation: 'tidy.thin',
  version: 1,
  params: {},
  inputs: {},
  outputs: {},
  figures: {},
  findings: [],
  description: 'did it',
  who: 'test',
  durationMs: 10,
  work: 2,
  ...over,
})
