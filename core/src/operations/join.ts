import Joi from 'joi'
import { stage, type RunContext } from '../context'
import { matchFine, type IcpResult } from '../align/icp'
import { measureOverlap, type Overlap } from '../align/overlap'
import { prepareCloud, type OrientedCloud } from '../align/oriented-cloud'
import { rigidFromPairs } from '../align/pairs'
import { GeometryError } from '../errors'
import { mm, percent, worst, type Finding } from '../findings'
import { compose, identityMotion, invertRigid, motionFromRows, motionRows, transformPoints, rotateVectors, type Motion } from '../linear/rigid'
import type { PointCloud } from '../shapes'
import { cloudsOf, defineOperation } from './operation'

interface PickEnd { take: string; at: number[] }
export interface PickPair { a: PickEnd; b: PickEnd }
interface Params {
  names: string[]
  fixed: string
  picks: PickPair[]
  initial: Record<string, number[][]>
  toleranceMm: number | null
  fine: boolean
}

const point = Joi.array().items(Joi.number()).length(3)
const pickEnd = Joi.object({ take: Joi.string().required(), at: point.required() })
const MIN_OVERLAP = 0.2

export const pickPairsSchema = Joi.array().items(Joi.object({ a: pickEnd.required(), b: pickEnd.required() }))

/** Takes into one frame: a start from picked pairs or given motions, then the fine match, each to what is joined already. */
export const joinTakes = defineOperation<Params>({
  name: 'join.match',
  version: 1,
  inputs: { takes: 'clouds' },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).min(1).required(),
    fixed: Joi.string().required(),
    picks: pickPairsSchema.default([]),
    initial: Joi.object().pattern(Joi.string(), Joi.array().items(Joi.array().items(Joi.number()).length(4)).length(4)).default({}),
    toleranceMm: Joi.number().positive().allow(null).default(null),
    fine: Joi.boolean().default(true),
  }),
  estimate: ({ takes }) => {
    const points = (takes as readonly PointCloud[]).reduce((n, t) => n + t.positions.length / 3, 0)
    return { work: (points / 1e6) * 40, bytes: points * 120 }
  },
  run(inputs, params, context) {
    const clouds = cloudsOf(inputs, 'takes')
    const { names, fixed } = params
    if (names.length !== clouds.length) throw new GeometryError('PARAMS', `There are ${clouds.length} takes but ${names.length} names.`)
    if (clouds.length < 2) throw new GeometryError('PARAMS', 'Joining needs two takes or more.')
    const fixedAt = names.indexOf(fixed)
    if (fixedAt < 0) throw new GeometryError('PARAMS', `The fixed take "${fixed}" is not among the takes: ${names.join(', ')}.`)
    const starts = startMotions(params, fixedAt)
    if (!params.fine) {
      return { outputs: { motions: { kind: 'motions', motions: Object.fromEntries(names.map((n, i) => [n, starts[i]!])) } }, figures: { takes: names.length, fine: false }, findings: [] }
    }
    const prepared = clouds.map((c, i) => prepareCloud(c, stage(context, (i / clouds.length) * 0.4, ((i + 1) / clouds.length) * 0.4)))
    return joinPrepared(clouds, prepared, starts, fixedAt, params, stage(context, 0.4, 1))
  },
  describe: (params, figures) => `Joined ${params.names.join(', ')}: 95 of 100 points within ${mm(Number(figures.p95Mm))}, overlap ${percent(Number(figures.overlap), 0)}`,
})

function startMotions(params: Params, fixedAt: number): (Motion | null)[] {
  const { names, picks, initial } = params
  // initial.json may be relative to another frame; the fixed take's own entry brings it back.
  const base = initial[names[fixedAt]!] ? invertRigid(motionFromRows(initial[names[fixedAt]!], names[fixedAt]!)) : identityMotion()
  const motions: (Motion | null)[] = names.map((name, i) => (i === fixedAt ? identityMotion() : initial[name] ? compose(base, motionFromRows(initial[name], name)) : null))
  // Picks tie takes to ones already placed, in as many rounds as the chain is long.
  for (let round = 0; round < names.length; round++) {
    names.forEach((name, i) => {
      if (motions[i]) return
      const from: number[] = []
      const to: number[] = []
      for (const { a, b } of picks) {
        const [mine, other] = a.take === name ? [a, b] : [b, a]
        if (mine.take !== name) continue
        const j = names.indexOf(other.take)
        if (j < 0) throw new GeometryError('PARAMS', `A pick names the take "${other.take}", which is not here: ${names.join(', ')}.`)
        if (!motions[j]) continue
        from.push(...mine.at)
        to.push(...transformPoints(motions[j], Float32Array.from(other.at)))
      }
      if (from.length > 0) motions[i] = rigidFromPairs(Float64Array.from(from), Float64Array.from(to)).motion
    })
  }
  const lost = names.filter((_, i) => !motions[i])
  if (lost.length > 0) {
    throw new GeometryError('PARAMS', `There is no start for ${lost.join(', ')}: pick three points or more that ${lost.length === 1 ? 'it shares' : 'they share'} with a placed take, or give rough motions.`)
  }
  return motions
}

interface PairReport { take: string; icp: IcpResult; overlap: Overlap }

function joinPrepared(
  clouds: readonly PointCloud[], prepared: readonly OrientedCloud[], starts: (Motion | null)[], fixedAt: number, params: Params, context: RunContext,
) {
  const { names } = params
  const order = names.map((_, i) => i).filter((i) => i !== fixedAt)
  const motions: Record<string, Motion> = { [names[fixedAt]!]: identityMotion() }
  const reports: PairReport[] = []
  let joined = prepared[fixedAt]!
  const placed: { cloud: PointCloud; motion: Motion }[] = [{ cloud: clouds[fixedAt]!, motion: identityMotion() }]
  order.forEach((i, k) => {
    const part = stage(context, k / order.length, (k + 1) / order.length)
    const icp = matchFine(prepared[i]!, joined, starts[i]!, {}, stage(part, 0, 0.8))
    motions[names[i]!] = icp.motion
    reports.push({ take: names[i]!, icp, overlap: measureOverlap(prepared[i]!, joined, icp.motion) })
    placed.push({ cloud: clouds[i]!, motion: icp.motion })
    if (k < order.length - 1) joined = prepareCloud(together(placed), stage(part, 0.8, 1))
  })
  const findings = reports.flatMap((r) => judge(r, params.toleranceMm, prepared))
  const main = reports.reduce((a, b) => (b.overlap.share < a.overlap.share ? b : a))
  return {
    outputs: { motions: { kind: 'motions' as const, motions } },
    figures: {
      takes: names.length, fine: true,
      overlap: main.overlap.share, overlapMm2: main.overlap.areaMm2,
      rmsMm: Math.max(...reports.map((r) => r.overlap.rmsMm)), p95Mm: Math.max(...reports.map((r) => r.overlap.p95Mm)),
      expectedMm: Math.max(...reports.map((r) => r.overlap.expectedMm)),
      iterations: reports.reduce((n, r) => n + r.icp.iterations, 0), stop: reports.map((r) => r.icp.stop).join(', '),
      verdict: worst(findings),
      pairs: JSON.stringify(reports.map((r) => ({
        take: r.take, fixed: params.fixed, overlap: r.overlap.share, overlapMm2: r.overlap.areaMm2, rmsMm: r.overlap.rmsMm, p95Mm: r.overlap.p95Mm,
        iterations: r.icp.iterations, stop: r.icp.stop, motion: motionRows(r.icp.motion), histogram: r.overlap.histogram,
      }))),
    },
    findings,
  }
}

function together(placed: readonly { cloud: PointCloud; motion: Motion }[]): PointCloud {
  const total = placed.reduce((n, p) => n + p.cloud.positions.length, 0)
  const positions = new Float32Array(total)
  const normals = new Float32Array(total)
  let complete = true
  let at = 0
  for (const { cloud, motion } of placed) {
    transformPoints(motion, cloud.positions, positions.subarray(at, at + cloud.positions.length))
    if (cloud.normals) rotateVectors(motion, cloud.normals, normals.subarray(at, at + cloud.positions.length))
    else complete = false
    at += cloud.positions.length
  }
  return { kind: 'cloud', positions, ...(complete && { normals }) }
}

/** First findings of a join: is there enough common surface, and does it agree within what the device can do. */
function judge({ take, icp, overlap }: PairReport, tolerance: number | null, prepared: readonly OrientedCloud[]): Finding[] {
  const sigma = Math.max(...prepared.map((p) => p.features.noiseMm))
  const spacing = Math.max(...prepared.map((p) => p.features.spacingMm))
  const allowed = tolerance ?? 3 * sigma + 0.5 * spacing
  const small = overlap.share < MIN_OVERLAP
  const none = overlap.share < MIN_OVERLAP / 4 || icp.stop === 'no overlap'
  const rough = overlap.rmsMm > allowed
  const uneasy = overlap.rmsMm > Math.max(1.8 * overlap.expectedMm, 0.25 * spacing)
  return [
    {
      id: 'join.overlap', verdict: none ? 'unsound' : small ? 'doubtful' : 'sound',
      text: none
        ? `“${take}” has hardly any surface in common with the rest (${percent(overlap.share, 0)}): this is not a join. Start again from picks.`
        : small
          ? `“${take}” shares only ${percent(overlap.share, 0)} of its surface with the rest; under 20 % a join is easily wrong.`
          : `“${take}” shares ${percent(overlap.share, 0)} of its surface (${(overlap.areaMm2 / 100).toFixed(0)} cm²) with the rest.`,
      figures: [
        { label: 'Common surface', value: percent(overlap.share, 0), rule: 'share of the smaller take whose nearest point of the other lies within 3 σ + spacing, normals within 45°', verdict: none ? 'unsound' : small ? 'doubtful' : 'sound' },
        { label: 'Common area', value: `${(overlap.areaMm2 / 100).toFixed(0)} cm²` },
      ],
      ...(small && { nextMove: 'Take one more that sees both sides' }),
    },
    {
      id: 'join.residual', verdict: rough ? 'unsound' : uneasy ? 'doubtful' : 'sound',
      text: rough || uneasy
        ? `The surfaces of “${take}” stand ${mm(overlap.rmsMm)} apart where they meet, more than the ${mm(overlap.expectedMm)} the points’ own scatter explains. The match may have settled in the wrong place.`
        : `Where they meet, 95 of 100 points of “${take}” agree within ${mm(overlap.p95Mm)}.`,
      figures: [
        { label: 'Residual, root mean square', value: mm(overlap.rmsMm, 3), rule: 'point to plane, over the common surface', verdict: rough ? 'unsound' : uneasy ? 'doubtful' : 'sound' },
        { label: 'Residual, 95 of 100 within', value: mm(overlap.p95Mm, 3) },
        { label: 'Scatter of the points', value: mm(overlap.expectedMm, 3), rule: 'local plane residual of both takes, in quadrature' },
      ],
    },
  ]
}
