import Module from 'manifold-3d'
import { describe, expect, test } from 'vitest'
import { quietContext } from '../context'
import { EVIDENCE, type TriangleMesh } from '../shapes'
import { solidsWith } from '../solids'
import { cube, torus, withoutFaces } from '../testing/solids'
import { facesWhere, merged, shifted } from '../testing/altered'
import {
  bridgeHoles,
  closeHandle,
  healthCheck,
  closeHole,
  closeHoles,
  cutAway,
  heal,
  refineSkin,
  remeshSkin,
  runOperation,
  simplify,
} from './index'

const context = () => ({ ...quietContext(), solids: solidsWith(() => Module()) })
const ring = torus(20, 6, 120, 60)
const holed = withoutFaces(
  ring,
  facesWhere(ring, (x, y, z) => Math.hypot(x - 20, y, z - 6) < 2.5 || Math.hypot(x + 20, y, z - 6) < 1.5),
)
const gapped = withoutFaces(
  ring,
  facesWhere(ring, (x, y) => x > 0 && Math.abs(y) < 2.2),
)

describe('curing what is safe', () => {
  test('all is told: what was done, how much went and came, what is left', async () => {
    const { outputs, figures, findings, details } = await runOperation(
      heal,
      { mesh: merged(holed, shifted(cube(0.2), 40), shifted(torus(5, 1.5, 40, 20), 26, 8)) },
      {},
      context(),
    )
    expect(figures).toMatchObject({ closed: true, crossings: 0, components: 1 })
    expect(figures.acts).toBe('1 crumb taken away; 2 holes closed; 2 bodies that went through each other made one')
    expect(Number(figures.addedMm2)).toBeGreaterThan(20)
    expect(Number(figures.goneMm2)).toBeGreaterThan(0.2)
    expect(findings.map((f) => [f.id, f.verdict])).toEqual([['mend.health', 'sound']])
    expect(details.faults).toEqual([])
    expect((outputs.mesh as TriangleMesh).evidence!.includes(EVIDENCE.invented)).toBe(true)
    const told = heal.describe({ crumbs: 0.02, keepsHoles: false }, figures)
    expect(told).toMatch(/^Cured what is safe: 1 crumb taken away; .* of surface went, .* came$/)
  })
  test('nothing to cure is said so; holes stay where that is asked', async () => {
    const sound = await runOperation(heal, { mesh: ring }, {}, context())
    expect(heal.describe({ crumbs: 0, keepsHoles: false }, sound.figures)).toBe(
      'Cured what is safe: there was nothing to cure',
    )
    const open = await runOperation(heal, { mesh: holed }, { keepsHoles: true }, context())
    expect(open.figures).toMatchObject({ closed: false, holes: 2 })
    expect(open.findings.map((f) => f.id)).toEqual(['mend.health'])
  })
  test('a sheet stays a sheet: unsound, and why', async () => {
    const sheet = withoutFaces(cube(4), [2, 3, 4, 5, 6, 7, 8, 9, 10, 11])
    const { findings } = await runOperation(heal, { mesh: sheet }, {}, context())
    expect(findings.find((f) => f.id === 'mend.heal.left')).toMatchObject({ verdict: 'unsound' })
    expect(findings.find((f) => f.id === 'mend.heal.left')!.text).toContain('holds no body')
  })
})

describe('holes', () => {
  test('flat or along the curve; by a rim; what is left is told', async () => {
    const curved = await runOperation(closeHoles, { mesh: holed }, {}, context())
    const flat = await runOperation(closeHoles, { mesh: holed }, { kind: 'flat' }, context())
    expect([curved.figures.closed, flat.figures.closed]).toEqual([true, true])
    expect(Number(flat.figures.facesAdded)).toBeLessThan(Number(curved.figures.facesAdded))
    expect(Number(flat.figures.volumeMm3)).toBeLessThan(Number(curved.figures.volumeMm3))
    expect(closeHoles.describe({ perimeterMm: null, kind: 'flat' }, flat.figures)).toBe(
      'Closed 2 holes, flat; 0 left open',
    )
  })
  test('a hole that nothing fits over stays open, and the act by itself is refused in words', async () => {
    const post = shifted(cube(0.5), 4.75, 4.75, -0.25)
    const box = cube(10)
    const bottom = facesWhere(box, (_x, _y, z) => z === 0)
    const blocked = merged(withoutFaces(box, bottom), post)
    const { figures, findings, details } = await runOperation(closeHoles, { mesh: blocked }, {}, context())
    expect(figures).toMatchObject({ closedHoles: 0, refused: 1, crossings: 0 })
    expect(findings.find((f) => f.id === 'mend.refused')).toMatchObject({ verdict: 'unsound' })
    const [hole] = details.holes
    await expect(runOperation(closeHole, { mesh: blocked }, { rim: [...hole.rim] }, context())).rejects.toThrow(
      'Whatever is laid over this hole would cross the surface',
    )
  })
  test('two rims are bridged, and the same on the mesh when it is done again', async () => {
    const health = await runOperation(closeHoles, { mesh: gapped }, { perimeterMm: 0.1 }, context())
    const [first, second] = health.details.holes.map((h) => [...h.rim])
    const bridged = await runOperation(bridgeHoles, { mesh: gapped }, { first, second }, context())
    expect(bridged.figures).toMatchObject({ closed: true, genus: 1, crossings: 0 })
    const params = { first, second, kind: 'curved' as const, withinMm: 0.5 }
    const again = bridgeHoles.again!
    expect(again.fit!(params, { curve: [] }, gapped, 0.5)).toMatchObject({ first, second })
    expect(again.fit!(params, { curve: [] }, ring, 0.5)).toMatchObject({ unfit: expect.any(String) as string })
    await expect(runOperation(bridgeHoles, { mesh: gapped }, { first, second: first }, context())).rejects.toThrow(
      'no two holes with these rims',
    )
    await expect(runOperation(bridgeHoles, { mesh: gapped }, { first: [1, 2], second }, context())).rejects.toThrow()
  })
})

describe('handles', () => {
  test('are told by the check, and closed along either loop: a bent rod, or a plate with a dent', async () => {
    const checked = await runOperation(healthCheck, { mesh: ring }, {}, context())
    const { handles } = checked.details
    expect(handles).toHaveLength(2)
    const volumes: number[] = []
    for (const { loop } of handles!) {
      const { figures } = await runOperation(closeHandle, { mesh: ring }, { loop: [...loop] }, context())
      expect(figures).toMatchObject({ closed: true, genus: 0, components: 1, crossings: 0, genusBefore: 1 })
      volumes.push(Number(figures.volumeMm3))
    }
    // Round the tube a slice goes; through the hole a skin over it comes in.
    const whole = Number(checked.figures.volumeMm3)
    expect(volumes[0]).toBeLessThan(whole)
    expect(volumes[1]).toBeGreaterThan(whole)
  })
  test('a loop that is not there, and one that bounds a patch, are refused', async () => {
    const away = [100, 0, 0, 101, 0, 0, 100, 1, 0]
    await expect(runOperation(closeHandle, { mesh: ring }, { loop: away }, context())).rejects.toThrow(
      'does not run along this loop',
    )
    const small = [26, 0, 0.5, 26, 0.5, 0, 26, 0, -0.5]
    await expect(runOperation(closeHandle, { mesh: ring }, { loop: small, withinMm: 1 }, context())).rejects.toThrow(
      'as many handles as before',
    )
  })
  test('none are told of a ball, nor where the surface is open', async () => {
    expect((await runOperation(healthCheck, { mesh: cube(3) }, {}, context())).details.handles).toEqual([])
    expect((await runOperation(healthCheck, { mesh: holed }, {}, context())).details.handles).toEqual([])
  })
})

describe('a feature taken off', () => {
  const R = 10
  /** A cylinder lying along x with a block let into its side, as one body. */
  const boss = async (): Promise<TriangleMesh> => {
    const n = 96,
      m = 40
    const positions: number[] = [],
      indices: number[] = []
    for (let k = 0; k <= m; k++)
      for (let i = 0; i < n; i++) {
        const a = (2 * Math.PI * i) / n
        positions.push(k - m / 2, R * Math.cos(a), R * Math.sin(a))
      }
    for (let k = 0; k < m; k++)
      for (let i = 0; i < n; i++) {
        const [a, b, c, d] = [k * n + i, k * n + ((i + 1) % n), (k + 1) * n + ((i + 1) % n), (k + 1) * n + i]
        indices.push(a, b, c, a, c, d)
      }
    for (const [at, k] of [
      [-m / 2, 0],
      [m / 2, m],
    ]) {
      const tip = positions.length / 3
      positions.push(at, 0, 0)
      for (let i = 0; i < n; i++) {
        const [a, b] = [k * n + i, k * n + ((i + 1) % n)]
        indices.push(...(k === 0 ? [tip, b, a] : [tip, a, b]))
      }
    }
    const rod: TriangleMesh = {
      kind: 'mesh',
      positions: Float32Array.from(positions),
      indices: Uint32Array.from(indices),
    }
    return context().solids.unite([rod, shifted(cube(4), -2, -2, 8)])
  }
  test('a boss on a cylinder: the patch lies on the true cylinder within one spacing, with no rim to see', async () => {
    const mesh = await boss()
    const { outputs, figures } = await runOperation(
      cutAway,
      { mesh },
      { region: { kind: 'seeds', seeds: [[0, 0, 12]], reachMm: 5.6 }, close: true },
      context(),
    )
    expect(figures).toMatchObject({ closed: true, genus: 0, crossings: 0 })
    const after = outputs.mesh as TriangleMesh
    let off = 0,
      invented = 0
    for (let v = 0; v < after.positions.length / 3; v++) {
      if (after.evidence![v] !== EVIDENCE.invented) continue
      invented++
      off = Math.max(off, Math.abs(Math.hypot(after.positions[v * 3 + 1], after.positions[v * 3 + 2]) - R))
    }
    expect(invented).toBeGreaterThan(10)
    expect(off).toBeLessThan(1)
    expect(cutAway.describe({ region: { kind: 'seeds', seeds: [], reachMm: 1 }, close: true }, figures)).toMatch(
      /^Took a feature of .* off, and closed what it left$/,
    )
  })
  test('holes that were there stay open', async () => {
    const { figures } = await runOperation(
      cutAway,
      { mesh: holed },
      { region: { kind: 'seeds', seeds: [[0, 20, 6]], reachMm: 2 }, close: true },
      context(),
    )
    expect(figures).toMatchObject({ holes: 2, closed: false })
  })
})

describe('other triangles', () => {
  test('even ones, told with how far they lie off, and against the cap of the brief', async () => {
    const fine = await runOperation(remeshSkin, { mesh: ring }, { edgeMm: 1, capMm: 0.2 }, context())
    expect(fine.figures).toMatchObject({ closed: true, crossings: 0, genus: 1 })
    expect(Number(fine.figures.deviationMm)).toBeLessThan(0.2)
    expect(fine.findings.map((f) => f.id)).toEqual(['mend.health'])
    const coarse = await runOperation(remeshSkin, { mesh: ring }, { edgeMm: 6, capMm: 0.2 }, context())
    expect(Number(coarse.figures.deviationMm)).toBeGreaterThan(0.2)
    expect(coarse.findings.find((f) => f.id === 'mend.cap')).toMatchObject({ verdict: 'doubtful' })
    await expect(runOperation(remeshSkin, { mesh: ring }, { edgeMm: 1e-4 }, context())).rejects.toThrow(
      'ask for longer',
    )
  })
  test('four of each, and back to about as few without moving anything', async () => {
    const fine = await runOperation(refineSkin, { mesh: ring }, {}, context())
    expect(fine.figures).toMatchObject({ before: ring.indices.length / 3, faces: (4 * ring.indices.length) / 3 })
    const back = await runOperation(
      simplify,
      { mesh: fine.outputs.mesh as TriangleMesh },
      { deviationMm: 1e-4 },
      context(),
    )
    expect(Number(back.figures.faces)).toBeLessThanOrEqual((ring.indices.length / 3) * 1.2)
  })
})
