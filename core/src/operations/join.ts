import Joi from 'joi'
import { stage } from '../context'
import { findDots } from '../tidy/dots'
import type { JoinReport } from '../align/takes/join-report'
import { joinAndJudge } from '../align/takes/join-takes'
import { isRound, joinFindings } from '../align/judge/verdict'
import { GeometryError } from '../errors'
import { mm, percent, worst, type Finding } from '../findings'
import { asOwnView, seenFromZero } from '../view/seen-from-zero'
import { WORKS_ON } from './inputs'
import { joinDetails, type JoinDetails } from './join-details'
import { refuseTwins, refuseUnitSlip } from './join-refusals'
import { groupNumbers, marksOf, startMotions, type JoinStarts } from './join-starts'
import { defineOperation, ONE_NAME_EACH, type ResultOf } from './operation'

declare module './details' {
  interface OperationDetails {
    'join.match': JoinDetails
  }
}

interface Params extends JoinStarts {
  fixed: string
  /** Pairs that are trusted first, in this order, where shape places the takes. */
  first: [string, string][]
  /** Pose of each take, '' for none: those of one pose are matched before poses come together. Empty: all at once. */
  poses: string[]
  /** Diameter of dots stuck on the piece that are to help; null: none. */
  dotsMm: number | null
  /** Colours count, too: for takes lit evenly. */
  colours: boolean
  /**
   * Takes that were seen from their own zero point count as single looks from there, and others that can be one look only
   * are placed as such.
   */
  ownViews: boolean
  toleranceMm: number | null
  fine: boolean
}

const point = Joi.array().items(Joi.number()).length(3)
const pickEnd = Joi.object({ take: Joi.string().required(), at: point.required() })
const name = Joi.string()
const areaEnd = Joi.object({
  take: Joi.string().required(),
  at: point.required(),
  radiusMm: Joi.number().positive().required(),
})

export const pickPairsSchema = Joi.array().items(Joi.object({ a: pickEnd.required(), b: pickEnd.required() }))

/**
 * Takes into one frame: from picked pairs or given motions where there are any, by their shapes where not; then all
 * together, and judged.
 */
export const joinTakes = defineOperation({
  name: 'join.match',
  version: 5,
  inputs: { takes: WORKS_ON.takes },
  params: Joi.object<Params>({
    names: Joi.array().items(name).min(1).unique().required().messages(ONE_NAME_EACH),
    fixed: name.required(),
    picks: pickPairsSchema.default([]),
    areas: Joi.array()
      .items(Joi.object({ a: areaEnd.required(), b: areaEnd.required() }))
      .default([]),
    first: Joi.array().items(Joi.array().items(name).length(2)).default([]),
    poses: Joi.array().items(name.allow('').max(80)).default([]),
    initial: Joi.object()
      .pattern(Joi.string(), Joi.array().items(Joi.array().items(Joi.number()).length(4)).length(4))
      .default({}),
    groups: Joi.array().items(Joi.array().items(name).min(2)).default([]),
    dotsMm: Joi.number().positive().max(100).allow(null).default(null).label('diameter of the dots'),
    colours: Joi.boolean().default(false),
    ownViews: Joi.boolean().default(true),
    toleranceMm: Joi.number().positive().allow(null).default(null),
    fine: Joi.boolean().default(true),
  }),
  onPiece: { track: 'join', doing: () => 'Matching the takes' },
  estimate: ({ takes }) => {
    const points = takes.reduce((n, t) => n + t.positions.length / 3, 0)
    return { work: (points / 1e6) * 40 + takes.length * (takes.length - 1) * 0.05, bytes: points * 120 }
  },
  async run(inputs, params, context) {
    const { names, fixed } = params
    // What a file tells without saying: where its device stood, and so what was free before the surface.
    const own = inputs.takes.map((t) => params.ownViews && !t.frame && seenFromZero(t).isView)
    const clouds = inputs.takes.map((t, i) => (own[i] ? asOwnView(t) : t))
    if (names.length !== clouds.length)
      throw new GeometryError('PARAMS', `There are ${clouds.length} takes but ${names.length} names.`)
    if (clouds.length < 2) throw new GeometryError('PARAMS', 'Joining needs two takes or more.')
    const fixedAt = names.indexOf(fixed)
    if (fixedAt < 0)
      throw new GeometryError('PARAMS', `The fixed take "${fixed}" is not among the takes: ${names.join(', ')}.`)
    const missing = params.first.flat().find((n) => !names.includes(n))
    if (missing !== undefined)
      throw new GeometryError(
        'PARAMS',
        `The order names the take "${missing}", which is not here: ${names.join(', ')}.`,
      )
    if (params.poses.length > 0 && params.poses.length !== names.length)
      throw new GeometryError('PARAMS', `There are ${names.length} takes but ${params.poses.length} poses.`)
    refuseTwins(clouds, names)
    refuseUnitSlip(clouds, names)
    const starts = await startMotions(params, fixedAt, clouds, context)
    if (!params.fine) {
      const lost = names.filter((_, i) => !starts[i])
      if (lost.length > 0)
        throw new GeometryError(
          'PARAMS',
          `There is no start for ${lost.join(', ')}: pick three points or more that ` +
            `${lost.length === 1 ? 'it shares' : 'they share'} with a placed take, or give rough motions.`,
        )
    }
    const dots =
      params.dotsMm === null ? null : clouds.map((c) => findDots(c, params.dotsMm!, stage(context, 0, 0.1)).dots)
    const report = await joinAndJudge(
      {
        clouds,
        starts,
        dots,
        groups: groupNumbers(params, starts),
        fixedAt,
        toleranceMm: params.toleranceMm,
        asPlaced: !params.fine,
        marks: marksOf(params),
        colours: params.colours,
        poses: params.poses,
        first: params.first.map(([a, b]) => [names.indexOf(a), names.indexOf(b)] as const),
        guessLooks: params.ownViews,
      },
      context,
    )
    return resultOf(
      report,
      params,
      names.filter((_, i) => own[i]),
    )
  },
  describe: (params, figures) =>
    figures.fine
      ? `Joined ${params.names.join(', ')}${figures.byShape ? ' by shape' : ''}: 95 of 100 points ` +
        `within ${mm(Number(figures.p95Mm))}, overlap ${percent(Number(figures.overlap), 0)}`
      : `Placed ${params.names.join(', ')} by hand`,
})

/** Takes placed as single looks from where they seem to have been taken, told. */
function guessedLooksFinding(count: number, all: number): Finding {
  return {
    id: 'join.guessedLooks',
    verdict: 'sound',
    text:
      `${count === all ? 'All takes' : count === 1 ? 'One take' : `${count} takes`} can only be one look each. From where ` +
      'was read off the way the surface faces; it helped to find their places, and no verdict rests on it.',
  }
}

/** Takes taken as single looks, told. */
function ownViewFinding(own: readonly string[], all: number): Finding {
  const which =
    own.length === all ? 'All takes were' : own.length === 1 ? `“${own[0]}” was` : `${own.length} takes were`
  return {
    id: 'join.ownViews',
    verdict: 'sound',
    text: `${which} seen from the zero point of their files, so what stands before them there counts against a join.`,
  }
}

function resultOf(
  r: JoinReport,
  { names, fixed, fine, toleranceMm }: Params,
  own: readonly string[],
): ResultOf<'join.match'> {
  const [first, ...others] = joinFindings(r, names)
  // Where the measure comes from stands beside it.
  const tolerance = {
    label: toleranceMm === null ? 'Tolerance, none given: 3 × scatter + ½ spacing' : 'Tolerance, as given',
    value: mm(r.toleranceMm),
    rule: 'what play, double walls and tension are held against',
  }
  const findings = first ? [{ ...first, figures: [...(first.figures ?? []), tolerance] }, ...others] : others
  const links = r.tree.flatMap(([a, b]) => r.pairs.filter((p) => (p.a === a && p.b === b) || (p.a === b && p.b === a)))
  return {
    outputs: {
      motions: {
        kind: 'motions',
        motions: Object.fromEntries(names.flatMap((n, i) => (r.motions[i] ? [[n, r.motions[i]]] : []))),
      },
    },
    figures: {
      takes: names.length,
      fine,
      byShape: r.byShape,
      round: isRound(r),
      overlap: Math.min(...links.map((p) => p.shared.share), 1),
      overlapMm2: Math.min(...links.map((p) => p.shared.areaMm2)),
      rmsMm: Math.max(...r.pairs.map((p) => p.shared.rmsMm)),
      p95Mm: Math.max(...r.pairs.map((p) => p.shared.p95Mm)),
      expectedMm: Math.max(...r.pairs.map((p) => p.shared.expectedMm)),
      iterations: r.rounds,
      stop: !fine ? 'as placed' : r.settled ? 'converged' : 'iterations',
      toleranceMm: r.toleranceMm,
      toleranceGiven: toleranceMm !== null,
      ownViews: own.length,
      guessedLooks: r.guessedLooks.length,
      verdict: worst(findings),
      fixed,
    },
    findings: [
      ...findings,
      ...(own.length > 0 ? [ownViewFinding(own, names.length)] : []),
      ...(r.guessedLooks.length > 0 ? [guessedLooksFinding(r.guessedLooks.length, names.length)] : []),
    ],
    details: joinDetails(r, names),
  }
}
