import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { facetsOf } from '../mesh/facets'
import { evenEdgeMm } from '../mesh/sample-surface'
import { edgeTopology } from '../mesh/topology'
import { weldVertices } from '../mesh/weld'
import type { TriangleMesh } from '../shapes'
import { growCharts, type LinkedFacets } from './grow-charts'
import { layFlat, type Chart } from './lay-flat'
import { mergeSmallCharts } from './merge-charts'
import { coversTwice } from './overlaps'
import { packCharts, type Placed } from './pack-charts'

export interface UnwrapOptions {
  /** Edge of a texel on the surface, mm; or edge of the sheet, texels. */
  readonly texelMm?: number
  readonly sheetPx?: number
}

export interface Unwrapped {
  /** With `uvs`; points that coincided are one. */
  readonly mesh: TriangleMesh
  readonly charts: number
  /** Edge of the square sheet, texels, and of a texel on the surface, mm. */
  readonly sheetPx: number
  readonly texelMm: number
  /** Share of the sheet that is covered. */
  readonly use: number
  /**
   * How much longer a way is on the surface than on the sheet, at most, over all directions: root of the mean square of
   * both main stretches by area (Sander et al. 2001, L²), and what 99 of 100 mm² keep to.
   */
  readonly stretchL2: number
  readonly stretchP99: number
}

/** Reach of a chart as a share of the root of the whole surface. */
const REACH = 0.13
/** It goes so many edges far, however coarse the triangles are. */
const LEAST_REACH_EDGES = 4
/** Free texels round each chart, so that neighbours never mix. */
const MARGIN_TEXELS = 2
/** The sheet is looked at in so many cells a side at most, none narrower than so many texels. */
const MOST_CELLS = 512
const LEAST_CELL_TEXELS = 4
/** Sheets that viewers and printers' programs take. */
export const LARGEST_SHEET_PX = 16384
/** What of a sheet is covered, before it is known; then it is tried again, by so much smaller each time. */
const USUAL_USE = 0.7
/** How much of the sheet goes round a chart: its margin, and half a cell. */
const ROUND_TEXELS = 1.3
const SMALLER = 0.985
const TRIES = 40

/**
 * Lays a surface out flat without overlap, in charts packed on one square sheet. Charts are seen along the mean of their
 * normals; one that sees a face from aside or covers a place twice is grown anew of smaller ones.
 * @throws PARAMS of neither or both sizes, RANGE for a sheet too large, EMPTY of no faces
 */
export function unwrap(input: TriangleMesh, options: UnwrapOptions, context: RunContext): Unwrapped {
  const { texelMm, sheetPx } = options
  if ((texelMm === undefined) === (sheetPx === undefined))
    throw new GeometryError('PARAMS', 'Say how large a texel is on the surface, or how large the sheet is.')
  if (texelMm !== undefined && !(texelMm > 0))
    throw new GeometryError('PARAMS', `A texel must be larger than 0 mm, not ${texelMm}.`)
  if (sheetPx !== undefined && !(Number.isInteger(sheetPx) && sheetPx >= LEAST_CELL_TEXELS))
    throw new GeometryError(
      'PARAMS',
      `The sheet must be a whole number of texels, at least ${LEAST_CELL_TEXELS}, not ${sheetPx}.`,
    )
  const mesh = weldVertices(input)
  if (mesh.indices.length === 0) throw new GeometryError('EMPTY', 'The mesh has no faces to lay out.')
  const facets = { ...facetsOf(mesh.positions, mesh.indices), twin: edgeTopology(mesh).twin }
  const area = facets.areas.reduce((s, a) => s + a, 0)
  const reachMm = Math.max(REACH * Math.sqrt(area), LEAST_REACH_EDGES * evenEdgeMm(mesh))
  const charts = chartsOf(mesh, facets, reachMm, stage(context, 0, 0.7))
  let covered = 0
  for (const chart of charts) covered += flatArea(chart)
  const packing = stage(context, 0.7, 1)
  let around = 0
  for (const c of charts) around += 2 * (c.widthMm + c.heightMm)
  let texel = texelMm ?? Math.sqrt(covered / USUAL_USE) / sheetPx!
  // Margins and half-filled cells take the more of a sheet the coarser its texels are.
  const withMargins = (t: number): number => Math.sqrt((covered + around * t * ROUND_TEXELS) / USUAL_USE)
  if (texelMm === undefined) for (let round = 0; round < 5; round++) texel = withMargins(texel) / sheetPx!
  let side = sheetPx ?? Math.ceil(withMargins(texel) / texel)
  for (let round = 0; round < TRIES; round++) {
    if (side > LARGEST_SHEET_PX)
      throw new GeometryError(
        'RANGE',
        `That takes a sheet of ${side} × ${side} texels; up to ${LARGEST_SHEET_PX} are written. Ask for coarser ones.`,
      )
    const cellPx = Math.max(LEAST_CELL_TEXELS, Math.ceil(side / MOST_CELLS))
    const cells = Math.max(1, Math.floor(side / cellPx))
    let needed = 1
    for (const c of charts)
      needed = Math.max(needed, Math.ceil((Math.min(c.widthMm, c.heightMm) / texel + 2 * MARGIN_TEXELS) / cellPx))
    const fits = needed <= cells
    const { placed, rows } = fits
      ? packCharts(charts, cells, cellPx * texel, MARGIN_TEXELS * texel, packing)
      : { placed: [], rows: needed }
    if (rows > cells) {
      // As much smaller as it sticks out, but not all of it: a wider sheet fills up better.
      const over = Math.max(1 / SMALLER, Math.sqrt(rows / cells) * SMALLER)
      if (sheetPx === undefined) side = Math.ceil(side * over)
      else texel *= over
      continue
    }
    const uvs = new Float32Array(mesh.indices.length * 2)
    charts.forEach((chart, i) => write(chart, placed[i], cellPx, texel, side, uvs))
    const { pictures: _p, picture: _f, uvs: _u, ...rest } = mesh
    return {
      mesh: { ...rest, uvs },
      charts: charts.length,
      sheetPx: side,
      texelMm: texel,
      use: covered / (texel * texel * side * side),
      ...stretchOf(charts, facets),
    }
  }
  throw new GeometryError('RANGE', 'The sheet is too small for so many charts; ask for a larger one.')
}

/** Charts that cover no place twice: those that do are grown anew, each time of smaller ones. */
function chartsOf(mesh: TriangleMesh, facets: LinkedFacets, reachMm: number, context: RunContext): Chart[] {
  const { positions: p, indices } = mesh
  const done: Chart[] = []
  let only: Uint8Array | null = null
  for (let round = 0; ; round++) {
    const reach = reachMm / 2 ** round
    const { of, count: grown } = growCharts(facets, only, reach, stage(context, round === 0 ? 0 : 0.8, 0.8))
    const count = mergeSmallCharts(facets, of, grown, reach)
    const left = new Uint8Array(of.length)
    let again = 0
    facesByChart(of, count).forEach((faces, c) => {
      if (c % 256 === 0) checkpoint(context, c, count, 'Looking for overlaps')
      const chart = layFlat(p, indices, facets, faces, borderOf(faces, of, facets.twin))
      if (chart && !coversTwice(chart, indices)) return void done.push(chart)
      again++
      for (const f of faces) left[f] = 1
    })
    if (again === 0) return done
    only = left
  }
}

function facesByChart(of: Int32Array, count: number): Int32Array[] {
  const sizes = new Int32Array(count)
  for (const c of of) if (c >= 0) sizes[c]++
  const lists = Array.from(sizes, (n) => new Int32Array(n))
  sizes.fill(0)
  of.forEach((c, f) => c >= 0 && (lists[c][sizes[c]++] = f))
  return lists.filter((l) => l.length > 0)
}

function flatArea({ places: p }: Chart): number {
  let twice = 0
  for (let k = 0; k < p.length; k += 6)
    twice += (p[k + 2] - p[k]) * (p[k + 5] - p[k + 1]) - (p[k + 3] - p[k + 1]) * (p[k + 4] - p[k])
  return twice / 2
}

/** Corners from which an edge runs that no other face of the chart has, by their place in it. */
function borderOf(faces: Int32Array, of: Int32Array, twin: Int32Array): Int32Array {
  const border: number[] = []
  faces.forEach((f, i) => {
    for (let c = 0; c < 3; c++) {
      const t = twin[f * 3 + c]
      if (t < 0 || of[Math.floor(t / 3)] !== of[f]) border.push(i * 3 + c)
    }
  })
  return Int32Array.from(border)
}

/** Places of a chart on the sheet, 0–1, v down from its upper edge. */
function write(
  { faces, places }: Chart,
  { quarter, x, y, rows }: Placed,
  cellPx: number,
  texelMm: number,
  sidePx: number,
  uvs: Float32Array,
): void {
  for (let i = 0; i < faces.length; i++)
    for (let c = 0; c < 3; c++) {
      const u = places[i * 6 + c * 2] / texelMm + MARGIN_TEXELS,
        v = places[i * 6 + c * 2 + 1] / texelMm + MARGIN_TEXELS
      const [a, b] = quarter === 0 ? [u, v] : [rows * cellPx - v, u]
      uvs[(faces[i] * 3 + c) * 2] = (x * cellPx + a) / sidePx
      uvs[(faces[i] * 3 + c) * 2 + 1] = 1 - (y * cellPx + b) / sidePx
    }
}

/** Seen along an axis, a face is as long as it is across the way it leans, and cos θ as long along it. */
function stretchOf(charts: readonly Chart[], facets: LinkedFacets): Pick<Unwrapped, 'stretchL2' | 'stretchP99'> {
  const longest: [number, number][] = []
  let sum = 0,
    area = 0
  for (const { faces, places: p } of charts)
    faces.forEach((f, i) => {
      const k = i * 6
      const flat = ((p[k + 2] - p[k]) * (p[k + 5] - p[k + 1]) - (p[k + 3] - p[k + 1]) * (p[k + 4] - p[k])) / 2
      if (!(flat > 0) || !(facets.areas[f] > 0)) return
      const drawn = facets.areas[f] / flat
      longest.push([drawn, facets.areas[f]])
      sum += (facets.areas[f] * (1 + drawn * drawn)) / 2
      area += facets.areas[f]
    })
  longest.sort((a, b) => b[0] - a[0])
  let beyond = 0,
    k = 0
  while (k + 1 < longest.length && beyond + longest[k][1] < 0.01 * area) beyond += longest[k++][1]
  return { stretchL2: Math.sqrt(sum / (area || 1)), stretchP99: longest[k]?.[0] ?? 1 }
}
