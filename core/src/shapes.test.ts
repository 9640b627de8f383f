import { describe, expect, test } from 'vitest'
import { attributesOf, EVIDENCE, pickPoints, withMorePoints, type PointCloud, type TriangleMesh } from './shapes'
import { assertFits } from './sound-shape'

const cloud: PointCloud = {
  kind: 'cloud',
  positions: Float32Array.of(0, 1, 2, 10, 11, 12, 20, 21, 22),
  normals: Float32Array.of(0, 0, 1, 0, 1, 0, 1, 0, 0),
  colours: Uint8Array.of(1, 2, 3, 4, 5, 6, 7, 8, 9),
  confidence: Float32Array.of(0.25, 0.5, 0.75),
  frame: Uint16Array.of(0, 1, 1),
  frameOrigins: Float64Array.of(0, 0, 100, 50, 0, 100),
  originMm: [1000, 0, 0],
}
const mesh: TriangleMesh = {
  kind: 'mesh',
  positions: cloud.positions,
  normals: cloud.normals!,
  colours: cloud.colours!,
  evidence: Uint8Array.of(0, 1, 0),
  indices: Uint32Array.of(0, 1, 2),
}

describe('what belongs to points', () => {
  test('goes with them when some are picked, in the order asked, twice if asked twice', () => {
    const picked = pickPoints(cloud, [2, 0, 2])
    expect(picked).toEqual({
      kind: 'cloud',
      positions: Float32Array.of(20, 21, 22, 0, 1, 2, 20, 21, 22),
      normals: Float32Array.of(1, 0, 0, 0, 0, 1, 1, 0, 0),
      colours: Uint8Array.of(7, 8, 9, 1, 2, 3, 7, 8, 9),
      confidence: Float32Array.of(0.75, 0.25, 0.75),
      frame: Uint16Array.of(1, 0, 1),
      frameOrigins: cloud.frameOrigins,
      originMm: [1000, 0, 0],
    })
    expect(pickPoints(mesh, [1]).evidence).toEqual(Uint8Array.of(1))
  })
  test('is listed in one order for whoever writes it', () => {
    expect(attributesOf(cloud).map((a) => a.name)).toEqual(['normals', 'colours', 'frame', 'confidence'])
    expect(attributesOf(mesh).map((a) => a.name)).toEqual(['normals', 'colours', 'evidence'])
  })
  test('says nothing of points that are new: invented, grey, and no normals', () => {
    const more = withMorePoints(mesh, Float32Array.of(...mesh.positions, 5, 5, 5))
    expect(more.normals).toBeUndefined()
    expect(more.evidence).toEqual(Uint8Array.of(0, 1, 0, EVIDENCE.invented))
    expect(more.colours).toEqual(Uint8Array.of(1, 2, 3, 4, 5, 6, 7, 8, 9, 160, 160, 160))
    expect('confidence' in more).toBe(false)
  })
  test.each([
    ['normals', { ...cloud, normals: new Float32Array(6) }, /3 points and 2 normals/],
    ['colours', { ...cloud, colours: new Uint8Array(12) }, /3 points and 4 colours/],
    ['confidences', { ...cloud, confidence: new Float32Array(2) }, /2 confidences/],
    ['frames', { ...cloud, frame: new Uint16Array(4) }, /4 frame numbers/],
    ['evidence', { ...mesh, evidence: new Uint8Array(1) }, /1 marks of evidence/],
  ] as const)('must be there for each of them: %s', (_what, shape, said) => {
    expect(() => assertFits(shape)).toThrow(said)
  })
})
