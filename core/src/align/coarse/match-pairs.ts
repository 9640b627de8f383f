import { checkpoint, type KernelArray, type RunContext } from '../../context'
import { eachItem, itemCounter } from '../../parallel/items'
import { defineKernel } from '../../parallel/kernel'
import { inShared, allocate } from '../../parallel/allocate'
import { isShared } from '../../parallel/share'
import { RangeImage } from '../../view/range-image'
import type { TakeFeatures } from './features'
import { matchCoarse, MAX_CANDIDATES } from './match'
import type { Candidate } from './judge-pose'

/** Motion, and the figures beside it. */
const ROW = 16 + 5
/** Fewer pairs than this are not worth starting threads for. */
const MIN_PAIRS = 3
const NOTE = 'Comparing shapes'

/** Candidates of each pair of takes, the best first; several pairs at a time where there are threads. */
export async function matchPairs(
  takes: readonly TakeFeatures[],
  pairs: readonly (readonly [number, number])[],
  context: RunContext,
): Promise<Candidate[][]> {
  if (!isShared(context, pairs.length, MIN_PAIRS))
    return pairs.map(([a, b], i) => {
      checkpoint(context, i, pairs.length, `${NOTE}, pair ${i + 1} of ${pairs.length}`)
      return matchCoarse(takes[a], takes[b])
    })
  const { arrays, params } = packed(takes)
  const counts = allocate(Int32Array, pairs.length, true),
    rows = allocate(Float64Array, pairs.length * MAX_CANDIDATES * ROW, true)
  await context.parallel!.run(
    matchPairsKernel.name,
    { ...arrays, counter: itemCounter(true), pairs: inShared(Int32Array.from(pairs.flat())), counts, rows },
    { ...params, takes: takes.length, items: pairs.length },
    context,
    NOTE,
  )
  return pairs.map((_, i) =>
    Array.from({ length: counts[i] }, (_, k): Candidate => {
      const at = (i * MAX_CANDIDATES + k) * ROW
      const [share, fitting, inTheWay, rmsVoxels, score] = rows.subarray(at + 16, at + ROW) as unknown as [
        number,
        number,
        number,
        number,
        number,
      ]
      return { motion: rows.slice(at, at + 16), share, fitting, inTheWay, rmsVoxels, score }
    }),
  )
}

/** Candidates of one pair after the other. */
export const matchPairsKernel = defineKernel('matchPairs', (arrays, params, _part, tick) => {
  const takes = unpacked(arrays, params)
  const pairs = arrays.pairs as Int32Array,
    counts = arrays.counts as Int32Array,
    rows = arrays.rows as Float64Array
  eachItem(arrays.counter as Int32Array, params.items, tick, (i) => {
    const found = matchCoarse(takes[pairs[i * 2]], takes[pairs[i * 2 + 1]])
    counts[i] = found.length
    found.forEach((c, k) => {
      const at = (i * MAX_CANDIDATES + k) * ROW
      rows.set(c.motion, at)
      rows.set([c.share, c.fitting, c.inTheWay, c.rmsVoxels, c.score], at + 16)
    })
  })
})

type Packed = { arrays: Record<string, KernelArray>; params: Record<string, number> }

/** TakeFeatures takes as named arrays and numbers. */
function packed(takes: readonly TakeFeatures[]): Packed {
  const arrays: Packed['arrays'] = {},
    params: Packed['params'] = {}
  takes.forEach(({ outline, seen, features, queries, tones }, t) => {
    if (tones)
      for (const [name, values] of Object.entries(tones)) arrays[`${t}.${name}`] = inShared(values as KernelArray)
    const { voxelMm, ...plain } = outline
    for (const [name, values] of Object.entries({ ...plain, features, queries }))
      arrays[`${t}.${name}`] = inShared(values as KernelArray)
    params[`${t}.voxelMm`] = voxelMm
    params[`${t}.pixelMm`] = seen.pixelMm
    params[`${t}.images`] = seen.images.length
    seen.images.forEach(({ camera, depth }, k) => {
      arrays[`${t}.camera.${k}`] = inShared(camera)
      arrays[`${t}.depth.${k}`] = inShared(depth)
    })
  })
  return { arrays, params }
}

function unpacked(
  arrays: Readonly<Record<string, KernelArray>>,
  params: Readonly<Record<string, number>>,
): TakeFeatures[] {
  return Array.from({ length: params.takes }, (_, t): TakeFeatures => {
    const of = <T extends KernelArray>(name: string): T => arrays[`${t}.${name}`] as T
    return {
      outline: {
        points: of<Float32Array>('points'),
        normals: of<Float32Array>('normals'),
        rim: of<Uint8Array>('rim'),
        grid: of<Int32Array>('grid'),
        frame: of<Float64Array>('frame'),
        voxelMm: params[`${t}.voxelMm`],
      },
      features: of<Float32Array>('features'),
      queries: of<Int32Array>('queries'),
      tones: arrays[`${t}.tone`] ? { tone: of<Float32Array>('tone'), gradient: of<Float32Array>('gradient') } : null,
      seen: {
        pixelMm: params[`${t}.pixelMm`],
        images: Array.from(
          { length: params[`${t}.images`] },
          (_, k) => new RangeImage(of<Float64Array>(`camera.${k}`), of<Float32Array>(`depth.${k}`)),
        ),
      },
    }
  })
}
