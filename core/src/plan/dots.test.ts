import { AR } from 'js-aruco2'
import { describe, expect, test } from 'vitest'
import { matSheet, pageFor, standSheets } from './dot-sheet'
import { alikePairs, dotsOnMat, dotsOnPiece, dotsOnStands, NO_DOTS, standsFor, type DotSettings } from './dots'
import { cutFacets } from './facets'
import { buildStandIn } from './stand-in'

describe('dots', () => {
  const mat: DotSettings = { ...NO_DOTS, where: 'mat', matMm: 180, distanceMm: 18 }
  const pairsOf = (p: Float32Array): number[] =>
    Array.from({ length: p.length / 3 }, (_, i) =>
      Array.from({ length: i }, (_, j) =>
        Math.hypot(p[i * 3] - p[j * 3], p[i * 3 + 1] - p[j * 3 + 1], p[i * 3 + 2] - p[j * 3 + 2]),
      ),
    ).flat()
  /** By looking at every pair of dots and all their distances, without the layout's own code. */
  const alikeByHand = (p: Float32Array, error: number): number => {
    const n = p.length / 3
    const four = Array.from({ length: n }, (_, i) =>
      Array.from({ length: n }, (_, j) =>
        i === j ? Infinity : Math.hypot(p[i * 3] - p[j * 3], p[i * 3 + 1] - p[j * 3 + 1], p[i * 3 + 2] - p[j * 3 + 2]),
      )
        .sort((a, b) => a - b)
        .slice(0, 4),
    )
    let alike = 0
    for (let i = 0; i < n; i++)
      for (let j = 0; j < i; j++) if (four[i].every((d, k) => Math.abs(d - four[j][k]) <= error)) alike++
    return alike
  }
  test.each([1, 2, 3])('a mat (layout %s): spread, clear of the foot, no two neighbourhoods alike', (seed) => {
    const { positions, alike, closestMm } = dotsOnMat({ ...mat, seed }, 40)
    expect(positions.length / 3).toBeGreaterThan(25)
    expect(Math.min(...pairsOf(positions))).toBeGreaterThanOrEqual(18 - 1e-4)
    expect(closestMm).toBeCloseTo(Math.min(...pairsOf(positions)), 4)
    expect(alike).toBe(0)
    expect(alikeByHand(positions, mat.errorMm)).toBe(0)
    for (let i = 0; i < positions.length; i += 3) expect(Math.hypot(positions[i], positions[i + 1])).toBeGreaterThan(42)
  })
  // Common practice: never a row or grid, a repeated pattern stitches the wrong places together.
  test('a grid is full of look-alike neighbourhoods', () => {
    const grid = Float32Array.from(
      { length: 5 * 5 * 3 },
      (_, k) => (k % 3 === 0 ? Math.floor(k / 3) % 5 : k % 3 === 1 ? Math.floor(k / 15) : 0) * 20,
    )
    expect(alikePairs(grid, 0.3).length).toBeGreaterThan(30)
    expect(alikePairs(grid, 0.3).length).toBe(alikeByHand(grid, 0.3))
  })
  test('the same seed gives the same layout, another seed another', () => {
    expect(dotsOnMat(mat, 40)).toEqual(dotsOnMat(mat, 40))
    expect(dotsOnMat({ ...mat, seed: 9 }, 40).positions).not.toEqual(dotsOnMat(mat, 40).positions)
  })
  test('on the piece they keep to flat places, away from edges; where nothing is flat there are none', () => {
    const slab = cutFacets(buildStandIn({ kind: 'box' }, [120, 80, 30]), 8000)
    const { positions, normals, alike } = dotsOnPiece({ ...NO_DOTS, where: 'piece' }, slab)
    expect(positions.length / 3).toBeGreaterThan(8)
    expect(alike).toBe(0)
    for (let i = 0; i < positions.length; i += 3) {
      const face = [
        60 - Math.abs(positions[i]),
        40 - Math.abs(positions[i + 1]),
        Math.min(positions[i + 2], 30 - positions[i + 2]),
      ].sort((a, b) => a - b)
      expect(face[0]).toBeLessThan(1e-3)
      // The whole dot and its margin lie on its face, but for the middle of one facet.
      expect(face[1]).toBeGreaterThan(NO_DOTS.diameterMm / 2 + NO_DOTS.marginMm - slab.edgeMm)
      expect(Math.hypot(normals[i], normals[i + 1], normals[i + 2])).toBeCloseTo(1, 5)
    }
    expect(
      dotsOnPiece({ ...NO_DOTS, where: 'piece' }, cutFacets(buildStandIn({ kind: 'ellipsoid' }, [30, 30, 30]), 4000))
        .positions,
    ).toHaveLength(0)
  })
  test('stands stand round the piece, several dots on faces of unequal slant', () => {
    const stands = standsFor({ ...NO_DOTS, where: 'stands', stands: 4 }, 50, 80)
    const { positions, normals, stand } = dotsOnStands({ ...NO_DOTS, where: 'stands' }, stands)
    expect(new Set(stands.map((s) => s.slantDeg)).size).toBe(4)
    for (let s = 0; s < 4; s++) expect(stand!.filter((v) => v === s).length).toBeGreaterThanOrEqual(3)
    for (let i = 0; i < positions.length; i += 3) {
      expect(Math.hypot(positions[i], positions[i + 1])).toBeGreaterThan(50)
      expect(normals[i + 2]).toBeGreaterThan(0.1)
    }
  })

  const number = (svg: string, pattern: RegExp): number => Number(pattern.exec(svg)![1])
  test('the mat’s drawing is in millimetres: page, check bar, dots', () => {
    const layout = dotsOnMat(mat, 40)
    const { svg, widthMm, heightMm } = matSheet(layout, mat, 40, 'Lamp <&>')
    expect([widthMm, heightMm]).toEqual([210, 297])
    expect(svg).toContain('width="210mm" height="297mm" viewBox="0 0 210 297"')
    expect(svg).toContain('Lamp &lt;&amp;>')
    expect(number(svg, /data-check-bar="100"><path d="M[\d.]+ [\d.]+h(\d+)/)).toBe(100)
    const dots = [...svg.matchAll(/<circle cx="([\d.]+)" cy="([\d.]+)" r="2.5" [^>]*data-dot/g)].map((m) => [
      Number(m[1]),
      Number(m[2]),
    ])
    expect(dots).toHaveLength(layout.positions.length / 3)
    const paper = Float32Array.from(dots.flatMap(([x, y]) => [x, -y, 0]))
    pairsOf(paper).forEach((d, i) => expect(Math.abs(d - pairsOf(layout.positions)[i])).toBeLessThan(0.002))
    expect([pageFor(190, 260), pageFor(250, 190), pageFor(500, 500)]).toEqual([
      [210, 297],
      [297, 210],
      [500, 500],
    ])
  })
  test('its corner marks are read by an independent detector, in their places', () => {
    const { svg, widthMm, heightMm } = matSheet(dotsOnMat(mat, 40), mat, 40, 'Lamp')
    const k = 3
    const [w, h] = [widthMm * k, heightMm * k]
    const data = new Uint8ClampedArray(w * h * 4).fill(255)
    for (const m of svg.matchAll(
      /<rect x="([\d.]+)" y="([\d.]+)" width="([\d.]+)" height="([\d.]+)" fill="(#000|#fff)"/g,
    )) {
      const [x, y, a, b] = m.slice(1, 5).map((v) => Number(v) * k) as [number, number, number, number]
      for (let j = Math.round(y); j < Math.round(y + b); j++)
        for (let i = Math.round(x); i < Math.round(x + a); i++)
          data.fill(m[5] === '#000' ? 0 : 255, (j * w + i) * 4, (j * w + i) * 4 + 3)
    }
    const found = new AR.Detector({ dictionaryName: 'ARUCO_MIP_36h12' }).detect({ width: w, height: h, data })
    expect(found.map((f) => f.id).sort()).toEqual([0, 1, 2, 3])
    const middle = (id: number): [number, number] =>
      found
        .find((f) => f.id === id)!
        .corners.reduce<[number, number]>((s, c) => [s[0] + c.x / 4 / k, s[1] + c.y / 4 / k], [0, 0])
    // Marks 0 and 1 stand at the ends of the upper edge, 180 mm less the marks and their margins apart.
    expect(Math.hypot(middle(1)[0] - middle(0)[0], middle(1)[1] - middle(0)[1])).toBeCloseTo(180 - 16 - 8, 0)
    expect(middle(3)[1]).toBeGreaterThan(middle(0)[1] + 100)
  })
  test('a stand’s cut-out folds up to what was planned: both faces and the foot have their lengths', () => {
    const settings = { ...NO_DOTS, where: 'stands' as const, stands: 3 }
    const stands = standsFor(settings, 50, 80)
    const layout = dotsOnStands(settings, stands)
    const sheets = standSheets(layout, settings, stands, 'Lamp')
    expect(sheets).toHaveLength(2)
    const s = stands[0]
    const slant = (s.slantDeg * Math.PI) / 180
    expect(number(sheets[0].svg, /<rect x="18" y="24" width="46" height="([\d.]+)"/)).toBeCloseTo(
      (2 * s.heightMm) / Math.sin(slant) + (2 * s.heightMm) / Math.tan(slant) + 8,
      6,
    )
    expect(sheets.map((p) => [...p.svg.matchAll(/data-dot/g)].length).reduce((a, b) => a + b)).toBe(
      layout.positions.length / 3,
    )
  })
})
