import { GeometryError } from '../errors'
import { pickPoints, type Picture, type Shape, type TriangleMesh } from '../shapes'
import { GrowingFloat32, GrowingUint32 } from './byte-reader'
import type { FoundPicture } from './beside'
import { triangulatePolygon } from './polygon'

/** Hears what a reader left out: what it was, in the plural, and how many. */
export type Told = (what: string, count: number) => void

/** Farthest a coordinate may lie from zero, in file units: beyond it a file is broken, not large. */
const MAX_COORDINATE = 1e9
/** How many faces that come before their points are remembered with their place. */
const MAX_EARLY = 1000

/**
 * Collects what a reader finds and makes a shape of it: checks each number with its place, keeps a double origin for
 * data far from zero, and turns polygons into triangles.
 */
export class ShapeBuilder {
  private readonly xyz = new GrowingFloat32()
  private readonly normals = new GrowingFloat32()
  private readonly colours = new GrowingFloat32()
  private readonly scalars = new GrowingFloat32()
  private readonly frames = new GrowingFloat32()
  private readonly evidence = new GrowingFloat32()
  private readonly colourEvidence = new GrowingFloat32()
  private readonly triangles = new GrowingUint32()
  private origin: [number, number, number] | undefined
  hasFaces = false
  /** Set by formats whose colours go from 0 to 1 by rule, so that pure black and pure red are not taken for bytes. */
  unitColours = false
  /** Six numbers a triangle, u and v of each corner; begun where the first is told. */
  private readonly uvs = new GrowingFloat32()
  private readonly pictureOf: number[] = []
  /** Which of `pictures` the faces to come have, one more than its place; 0 for none. */
  picture = 0
  /** Set by readers before `finish`. */
  pictures: readonly FoundPicture[] = []
  /** Polygons that came before their points; what they become stands after all other faces. */
  private waiting: { corners: readonly number[]; uvs?: readonly number[]; picture: number }[] = []
  /** First face that names a point not yet read, with its place: judged when all points are known. */
  private early: { index: number; where: string }[] = []

  /** Points without a place, with where the first of them stand: how organised clouds mark what was not seen. */
  private absent = 0
  private readonly absentAt = new Map<number, string>()
  private readonly left = new Map<string, number>()

  /** @param told hears at the end what was left out, and how often: a reader that passes over data says so */
  constructor(private readonly told: Told = () => undefined) {}

  /** @param what in the words of the person, in the plural: "points without a place" */
  leaveOut(what: string, count = 1): void {
    this.left.set(what, (this.left.get(what) ?? 0) + count)
  }

  get pointCount(): number {
    return this.xyz.length / 3
  }

  /** @param where names the place for a refusal: "line 12", "byte 8400" */
  point(x: number, y: number, z: number, where: () => string): void {
    if (!Number.isFinite(x) || !Number.isFinite(y) || !Number.isFinite(z)) {
      // Judged at the end: left out where no face needs it.
      this.absent++
      if (this.absentAt.size < MAX_EARLY) this.absentAt.set(this.pointCount, where())
      this.xyz.push3(NaN, NaN, NaN)
      return
    }
    if (!(Math.abs(x) <= MAX_COORDINATE && Math.abs(y) <= MAX_COORDINATE && Math.abs(z) <= MAX_COORDINATE))
      throw new GeometryError('RANGE', `A point at ${where()} lies farther out than ${MAX_COORDINATE} units.`, {
        point: this.pointCount,
      })
    // The first point decides whether the data lie far out; the offset is rounded so that it adds back exactly.
    this.origin ??=
      Math.max(Math.abs(x), Math.abs(y), Math.abs(z)) > 4096 ? [Math.round(x), Math.round(y), Math.round(z)] : [0, 0, 0]
    this.xyz.push3(x - this.origin[0], y - this.origin[1], z - this.origin[2])
  }

  normal(x: number, y: number, z: number): void {
    const l = Math.sqrt(x * x + y * y + z * z)
    if (l > 1e-12 && l < Infinity) this.normals.push3(x / l, y / l, z / l)
    else this.normals.push3(0, 0, 0)
  }

  /** sRGB, 0–255. */
  colour(r: number, g: number, b: number): void {
    this.colours.push3(r, g, b)
  }

  confidence(v: number): void {
    this.scalars.push(v)
  }

  frame(v: number): void {
    this.frames.push(v)
  }

  colourEvidenceOf(v: number): void {
    this.colourEvidence.push(v)
  }

  evidenceOf(v: number): void {
    this.evidence.push(v)
  }

  /**
   * One polygon by zero-based point numbers; more than three corners become triangles, as soon as all are known.
   * @param uvs two numbers a corner, v down from the upper edge
   */
  polygon(corners: readonly number[], where: () => string, uvs?: readonly number[]): void {
    this.hasFaces = true
    if (corners.length < 3)
      throw new GeometryError('FORMAT', `A face at ${where()} has ${corners.length} corners; three or more are wanted.`)
    const known = this.pointCount
    for (const index of corners)
      if (index >= known && this.early.length < MAX_EARLY) this.early.push({ index, where: where() })
    if (corners.length > 3 && corners.some((i) => i >= known))
      this.waiting.push({ corners: [...corners], uvs, picture: this.picture })
    else this.addTriangles(corners, uvs)
  }

  private addTriangles(corners: readonly number[], uvs?: readonly number[]): void {
    // A face that needs a point without a place is refused at the end, with its place.
    const gone = this.absent > 0 ? corners.find((v) => Number.isNaN(this.xyz.data[v * 3])) : undefined
    if (gone !== undefined) {
      this.triangle(gone, gone, gone)
      return
    }
    if (corners.length === 3) {
      this.triangle(corners[0], corners[1], corners[2], uvs)
      return
    }
    const t = triangulatePolygon(this.xyz.data, corners)
    for (let i = 0; i < t.length; i += 3) {
      const of =
        uvs &&
        [0, 1, 2].flatMap((c) => {
          const corner = corners.indexOf(t[i + c]) * 2
          return [uvs[corner], uvs[corner + 1]]
        })
      this.triangle(t[i], t[i + 1], t[i + 2], of)
    }
  }

  /** @param uvs six numbers, v down from the upper edge */
  triangle(a: number, b: number, c: number, uvs?: readonly number[]): void {
    this.hasFaces = true
    if (uvs && this.picture > 0) {
      while (this.pictureOf.length < this.triangles.length / 3) this.pictureOf.push(0)
      this.pictureOf.push(this.picture)
      while (this.uvs.length < this.triangles.length * 2) this.uvs.push3(0, 0, 0)
      this.uvs.push3(uvs[0], uvs[1], uvs[2])
      this.uvs.push3(uvs[3], uvs[4], uvs[5])
    }
    this.triangles.push3(a, b, c)
  }

  finish(): Shape {
    const n = this.pointCount
    if (n === 0) throw new GeometryError('EMPTY', 'There are no points in this file.')
    const wrong = this.early.find((e) => e.index >= n)
    if (wrong)
      throw new GeometryError(
        'RANGE',
        `A face at ${wrong.where} names point ${wrong.index + 1}, but the file has only ${n}.`,
        { index: wrong.index },
      )
    for (const { corners, uvs, picture } of this.waiting) {
      this.picture = picture
      this.addTriangles(corners, uvs)
    }
    const indices = this.triangles.finish()
    for (let i = 0; i < indices.length; i++) {
      if (indices[i] >= n) {
        throw new GeometryError(
          'RANGE',
          `Face ${Math.floor(i / 3) + 1} names point ${indices[i] + 1}, but the file has only ${n}.`,
        )
      }
    }
    if (this.absent > 0) return this.withoutAbsent(indices)
    if (this.normals.length > 0 && this.normals.length !== n * 3)
      this.leaveOut('normals, since not every point has one', this.normals.length / 3)
    if (this.colours.length > 0 && this.colours.length !== n * 3)
      this.leaveOut('colours, since not every point has one', this.colours.length / 3)
    const shape = this.shapeOf(n, indices)
    for (const [what, count] of this.left) this.told(what, count)
    return shape
  }

  /** What was read, without the points that have no place. @throws NOT_FINITE where a face needs one */
  private withoutAbsent(indices: Uint32Array): Shape {
    const { data } = this.xyz
    for (const v of indices)
      if (Number.isNaN(data[v * 3]))
        throw new GeometryError(
          'NOT_FINITE',
          `A point at ${this.absentAt.get(v) ?? `place ${v + 1}`} has a coordinate that is not a number, and a face needs it.`,
          { point: v },
        )
    const n = this.pointCount
    if (this.absent === n) throw new GeometryError('EMPTY', 'No point in this file has a place.')
    this.leaveOut('points without a place, which is how a device marks what it did not see', this.absent)
    const whole = this.shapeOf(n, indices)
    for (const [what, count] of this.left) this.told(what, count)
    const kept = Uint32Array.from({ length: n - this.absent })
    const remap = new Uint32Array(n)
    for (let i = 0, k = 0; i < n; i++)
      if (!Number.isNaN(whole.positions[i * 3])) {
        remap[i] = k
        kept[k++] = i
      }
    const rest = pickPoints(whole, kept)
    return rest.kind === 'mesh' ? { ...rest, indices: rest.indices.map((v) => remap[v]) } : rest
  }

  private shapeOf(n: number, indices: Uint32Array): Shape {
    const positions = this.xyz.finish()
    const originMm = this.origin && this.origin.some((v) => v !== 0) ? this.origin : undefined
    const common = {
      positions,
      ...(this.normals.length === n * 3 && { normals: this.normals.finish() }),
      ...(this.colours.length === n * 3 && { colours: this.colourBytes() }),
      ...(originMm && { originMm }),
    }
    if (indices.length > 0) {
      return {
        kind: 'mesh',
        ...common,
        indices,
        ...this.texture(indices.length / 3),
        ...(this.evidence.length === n && { evidence: Uint8Array.from(this.evidence.finish()) }),
        ...(this.colourEvidence.length === n && { colourEvidence: Uint8Array.from(this.colourEvidence.finish()) }),
      }
    }
    return {
      kind: 'cloud',
      ...common,
      ...(this.scalars.length === n && { confidence: this.scalars.finish() }),
      ...(this.frames.length === n && { frame: Uint16Array.from(this.frames.finish()) }),
    }
  }

  /** Pictures that are there, the places of corners in them, and which face has which. */
  private texture(faces: number): Pick<TriangleMesh, 'uvs' | 'picture' | 'pictures'> {
    if (this.pictureOf.length === 0) return {}
    // Several materials may have one picture.
    const place = new Map<number, number>([[0, 0]])
    const placeOf = new Map<Picture, number>()
    for (const p of new Set(this.pictureOf)) {
      if (p === 0) continue
      const { picture, name } = this.pictures[p - 1]
      if (!picture && name !== '') this.leaveOut(`picture that did not come with it or can’t be read (“${name}”)`)
      if (picture && !placeOf.has(picture)) placeOf.set(picture, placeOf.size + 1)
      place.set(p, picture ? placeOf.get(picture)! : 0)
    }
    const pictures = [...placeOf.keys()]
    if (pictures.length === 0) return {}
    const picture = new Uint16Array(faces)
    this.pictureOf.forEach((p, f) => (picture[f] = place.get(p) ?? 0))
    const uvs = new Float32Array(faces * 6)
    uvs.set(this.uvs.finish())
    return { uvs, picture, pictures }
  }

  private colourBytes(): Uint8Array {
    const c = this.colours.finish()
    // 0–1 colours: nothing above 1 and something between.
    let top = 0
    let fraction = false
    for (let i = 0; i < c.length; i++) {
      if (c[i] > top) top = c[i]!
      if (c[i] !== Math.floor(c[i])) fraction = true
    }
    const scale = top <= 1 && (fraction || this.unitColours) ? 255 : 1
    return Uint8Array.from(c, (v) => Math.max(0, Math.min(255, Math.round(v * scale))))
  }
}
