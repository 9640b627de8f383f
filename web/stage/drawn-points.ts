import { BufferAttribute, BufferGeometry, DynamicDrawUsage, Points, type ShaderMaterial } from 'three'
import type { DrawData } from '@/workers/geometry.worker'
import { pointMaterial } from './materials'

/**
 * Points of one cloud on the stage. Their order is a shuffle, so that any first part of them is an even thinning: a
 * picture may begin with a few and be gone on with, and where only marks change, only those points are drawn again over
 * what stands (they lie at the very depth that they had).
 */
export class DrawnPoints {
  readonly object: Points<BufferGeometry, ShaderMaterial>
  private readonly count: number
  private marks: Uint8Array | null = null
  private most = 0
  private drawn = 0
  /** Marks as the picture has them. */
  private painted = new Uint8Array(0)
  private marksSent = false
  private again = new BufferAttribute(new Uint32Array(0), 1)

  constructor(data: DrawData, colour: string, sizePx: number) {
    this.count = data.positions.length / 3
    const geometry = new BufferGeometry()
    geometry.setAttribute('position', new BufferAttribute(data.positions, 3))
    geometry.setAttribute('normal', new BufferAttribute(data.normals, 3))
    geometry.setAttribute('tint', new BufferAttribute(new Uint8Array(data.positions.length), 3, true))
    this.object = new Points(geometry, pointMaterial(colour, sizePx))
  }

  /** @param marks one byte a point, 1 where it is chosen; null for none */
  setMarks(marks: Uint8Array | null): void {
    this.marks = marks
    this.marksSent = false
  }

  /** @param tint sRGB a point, instead of the pigment */
  setTint(tint: Uint8Array): void {
    const attribute = this.object.geometry.getAttribute('tint') as BufferAttribute
    ;(attribute.array as Uint8Array).set(tint)
    attribute.needsUpdate = true
  }

  /**
   * The picture begins anew with some of the points.
   * @param now how many at once
   * @param most how many it is to hold in the end
   */
  begin(now: number, most: number): void {
    const { geometry } = this.object
    this.object.visible = true
    this.most = Math.min(this.count, most)
    this.drawn = Math.min(this.most, now)
    const marks = this.sendMarks()
    if (this.painted.length !== this.most) this.painted = new Uint8Array(this.most)
    this.painted.set(marks.subarray(0, this.drawn))
    geometry.setIndex(null)
    geometry.setDrawRange(0, this.drawn)
  }

  /**
   * Sets what the picture lacks to be drawn over it: first points whose marks changed, then points that are not on it
   * yet.
   * @returns whether there is anything
   */
  goOn(limit: number): boolean {
    const { geometry } = this.object
    const marks = this.sendMarks()
    if (this.again.count < Math.min(limit, this.most)) {
      geometry.setIndex(null)
      this.again = new BufferAttribute(new Uint32Array(Math.min(limit, this.most)), 1).setUsage(DynamicDrawUsage)
    }
    const changed = changedMarks(this.painted, marks, this.drawn, this.again.array as Uint32Array)
    if (changed > 0) {
      this.again.clearUpdateRanges()
      this.again.addUpdateRange(0, changed)
      this.again.needsUpdate = true
      geometry.setIndex(this.again)
      geometry.setDrawRange(0, changed)
    } else {
      geometry.setIndex(null)
      geometry.setDrawRange(this.drawn, Math.min(limit, this.most - this.drawn))
      this.painted.set(marks.subarray(this.drawn, this.drawn + limit), this.drawn)
      this.drawn = Math.min(this.most, this.drawn + limit)
    }
    return (this.object.visible = geometry.drawRange.count > 0)
  }

  /** The picture holds all the points it is to hold, marked as they are. */
  get whole(): boolean {
    return (
      this.drawn === this.most &&
      this.marksSent &&
      !differs(this.painted, this.attribute().array as Uint8Array, this.drawn)
    )
  }

  dispose(): void {
    this.object.geometry.dispose()
    this.object.material.dispose()
  }

  private attribute(): BufferAttribute {
    return this.object.geometry.getAttribute('mark') as BufferAttribute
  }

  /**
   * Marks of the points the picture is to hold, no more: where the processor draws, sending them costs as much as there
   * is of them.
   */
  private sendMarks(): Uint8Array {
    const { geometry } = this.object
    let attribute = geometry.getAttribute('mark') as BufferAttribute | undefined
    if (attribute?.count !== this.most) {
      attribute = new BufferAttribute(new Uint8Array(this.most), 1)
      geometry.setAttribute('mark', attribute)
      this.marksSent = false
    }
    const array = attribute.array as Uint8Array
    if (!this.marksSent) {
      if (this.marks) array.set(this.marks.subarray(0, this.most))
      else array.fill(0)
      attribute.needsUpdate = true
      this.marksSent = true
    }
    return array
  }
}

/**
 * Points of the first so many whose marks are not as painted, until the list is full; they count as painted now.
 * @returns how many
 */
export function changedMarks(painted: Uint8Array, marks: Uint8Array, among: number, list: Uint32Array): number {
  let n = 0
  for (let i = 0; i < among && n < list.length; i++) {
    if (painted[i] === marks[i]) continue
    painted[i] = marks[i]!
    list[n++] = i
  }
  return n
}

function differs(a: Uint8Array, b: Uint8Array, among: number): boolean {
  for (let i = 0; i < among; i++) if (a[i] !== b[i]) return true
  return false
}
