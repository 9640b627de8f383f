import { describe, expect, test } from 'vitest'
import { seededRandom } from '@holosoma/core/linear'
import type { DrawData } from '@/workers/geometry.worker'
import { changedMarks, DrawnPoints } from './drawn-points'

const N = 1000
const cloud = (): DrawData => ({
  kind: 'cloud',
  positions: new Float32Array(3 * N),
  normals: new Float32Array(3 * N),
  indices: null,
  evidence: null,
  colours: null,
})

/** What would stand on the picture: each point that was ever drawn, with the mark it had when it was drawn last. */
class Picture {
  readonly marks = new Map<number, number>()
  /** How many points each drawing took. */
  readonly parts: number[] = []

  draw({ object }: DrawnPoints): void {
    if (!object.visible) return
    const { geometry } = object
    const { start, count } = geometry.drawRange
    const mark = geometry.getAttribute('mark')
    for (let k = start; k < start + count; k++) {
      const i = geometry.index ? geometry.index.getX(k) : k
      this.marks.set(i, mark.getX(i))
    }
    this.parts.push(count)
  }
}
function finish(points: DrawnPoints, picture: Picture, limit: number): void {
  while (!points.whole) {
    expect(points.goOn(limit)).toBe(true)
    picture.draw(points)
  }
}
const random = seededRandom(3)
const someMarks = (share: number): Uint8Array => Uint8Array.from({ length: N }, () => Number(random.next() < share))

describe('a picture in parts', () => {
  test('holds in the end every point it is to hold, once, and no part is larger than was asked', () => {
    const points = new DrawnPoints(cloud(), '#000', 1),
      picture = new Picture()
    points.begin(150, 700)
    picture.draw(points)
    expect(points.whole).toBe(false)
    finish(points, picture, 100)
    expect(picture.parts).toEqual([150, 100, 100, 100, 100, 100, 50])
    expect([...picture.marks.keys()].sort((a, b) => a - b)).toEqual(Array.from({ length: 700 }, (_, i) => i))
    expect(points.goOn(100)).toBe(false)
    expect(points.object.visible).toBe(false)
  })
  test('of all at once is whole at once; of more than there are, too', () => {
    const points = new DrawnPoints(cloud(), '#000', 1)
    points.begin(Infinity, Infinity)
    expect(points.whole).toBe(true)
    expect(points.object.geometry.drawRange.count).toBe(N)
  })
  test('begun anew it holds nothing of before', () => {
    const points = new DrawnPoints(cloud(), '#000', 1),
      first = new Picture(),
      second = new Picture()
    points.begin(100, N)
    finish(points, first, 300)
    points.begin(100, N)
    second.draw(points)
    expect(second.parts).toEqual([100])
    finish(points, second, 300)
    expect(second.marks.size).toBe(N)
  })
})

describe('marks', () => {
  test('that change are drawn again, and nothing else is', () => {
    const points = new DrawnPoints(cloud(), '#000', 1),
      picture = new Picture()
    points.begin(N, N)
    picture.draw(points)
    const mark = new Uint8Array(N)
    for (const i of [3, 500, 999]) mark[i] = 1
    points.setMarks(mark)
    expect(points.whole).toBe(false)
    finish(points, picture, 200)
    expect(picture.parts).toEqual([N, 3])
    points.setMarks(null)
    finish(points, picture, 200)
    expect(picture.parts).toEqual([N, 3, 3])
    expect([...picture.marks.values()].every((m) => m === 0)).toBe(true)
  })
  test('that change while the picture is being drawn come out as they are in the end', () => {
    const points = new DrawnPoints(cloud(), '#000', 1),
      picture = new Picture()
    points.setMarks(someMarks(0.5))
    points.begin(60, 900)
    picture.draw(points)
    let last = new Uint8Array(N)
    for (let round = 0; round < 8; round++) {
      last = Uint8Array.from(someMarks(0.3))
      points.setMarks(last)
      points.goOn(60)
      picture.draw(points)
    }
    finish(points, picture, 60)
    expect(picture.marks.size).toBe(900)
    for (const [i, m] of picture.marks) expect(m).toBe(last[i])
    expect(Math.max(...picture.parts)).toBe(60)
  })
  test('are listed up to the length of the list, and each once', () => {
    const painted = new Uint8Array(10),
      marks = Uint8Array.of(1, 0, 1, 1, 0, 0, 0, 1, 1, 1),
      list = new Uint32Array(2)
    const heard: number[] = []
    for (let n = changedMarks(painted, marks, 8, list); n > 0; n = changedMarks(painted, marks, 8, list))
      heard.push(...list.subarray(0, n))
    expect(heard).toEqual([0, 2, 3, 7])
  })
})
