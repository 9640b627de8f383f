import Joi from 'joi'
import { matchFrames } from '../align/frames/frame-match'
import { findDoubleLayers } from '../cloud/double-layers'
import { stage } from '../context'
import { mm, percent, type Finding, type Verdict } from '../findings'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  placed: 'table' | 'free'
}

/** Shares of a take's patches that stand double: up to the first the take is sound, beyond the second it is not. */
const FEW_DOUBLE = 0.03
const MANY_DOUBLE = 0.1

/** Whether surfaces stand double in a take, in words; `cure` says what to do about it. */
export function ghostFinding(found: { patches: number; double: number; apartMm: number }, cure: string): Finding {
  const share = found.patches > 0 ? found.double / found.patches : 0
  const verdict: Verdict = share <= FEW_DOUBLE ? 'sound' : share <= MANY_DOUBLE ? 'doubtful' : 'unsound'
  return {
    id: 'take.ghost',
    verdict,
    text:
      found.patches === 0
        ? 'The frames share too little surface to tell whether they fit.'
        : verdict === 'sound'
          ? 'The frames lie on one surface.'
          : `Surfaces stand double on ${percent(share, 0)} of what is taken, ${mm(found.apartMm, 2)} ` +
            'apart: frames do not fit each other.',
    figures: [
      {
        label: 'Double',
        value: percent(share),
        rule: `of the patches several frames saw; up to ${percent(FEW_DOUBLE, 0)} is chance`,
      },
      ...(found.double > 0 ? [{ label: 'Apart', value: mm(found.apartMm, 2) }] : []),
    ],
    ...(verdict !== 'sound' && { nextMove: cure }),
  }
}

declare module './details' {
  interface OperationDetails {
    'take.matchFrames': {
      /** How far each frame was turned about the table's axis. */
      readonly turnsDeg: readonly number[]
    }
  }
}

/** All frames of one take matched to each other; closing errors are spread over them. */
export const matchTakeFrames = defineOperation({
  name: 'take.matchFrames',
  version: 3,
  inputs: { take: WORKS_ON.take },
  params: Joi.object<Params>({ placed: Joi.string().valid('table', 'free').default('table') }),
  onPiece: { track: 'take', doing: ([name]) => `Matching the frames of “${name}”` },
  estimate: ({ take }) => ({
    work: 3 + take.positions.length / 1e5,
    bytes: take.positions.byteLength * 8,
  }),
  async run(inputs, { placed }, context) {
    const cloud = inputs.take
    const before = findDoubleLayers(cloud, stage(context, 0, 0.1))
    const m = await matchFrames(cloud, { placed }, stage(context, 0.1, 0.9))
    const after = findDoubleLayers(m.cloud, stage(context, 0.9, 1))
    const share = (d: typeof before): number => (d.patches > 0 ? d.double / d.patches : 0)
    const ghost = ghostFinding(after, 'Take it again, slower')
    const largest = m.turnsDeg.reduce((a, b) => Math.max(a, Math.abs(b)), 0)
    return {
      outputs: { take: m.cloud },
      figures: {
        points: cloud.positions.length / 3,
        frames: m.corrections.length,
        closingBeforeMm: m.closingBeforeMm,
        closingAfterMm: m.closingAfterMm,
        scatterBeforeMm: m.scatterBeforeMm,
        scatterAfterMm: m.scatterAfterMm,
        doubleBefore: share(before),
        doubleAfter: share(after),
        largestTurnDeg: largest,
      },
      details: { turnsDeg: m.turnsDeg.map((d) => Math.round(d * 1000) / 1000) },
      findings: [
        {
          ...ghost,
          text:
            `${ghost.text} ` +
            (!m.worthIt
              ? 'Moving them would bring them no nearer to each other; nothing was moved.'
              : ghost.verdict === 'sound'
                ? `Frames were moved by up to ${largest.toFixed(2)}° about the table’s axis; round the ring ${mm(m.closingAfterMm, 2)} are left of ${mm(m.closingBeforeMm, 2)}.`
                : 'Matching them again did not bring them together.'),
          figures: [
            ...(ghost.figures ?? []),
            { label: 'Double before', value: percent(share(before)) },
            { label: 'Closing error', value: `${mm(m.closingBeforeMm, 2)} → ${mm(m.closingAfterMm, 2)}` },
            { label: 'Scatter between frames', value: `${mm(m.scatterBeforeMm, 3)} → ${mm(m.scatterAfterMm, 3)}` },
          ],
        },
      ],
    }
  },
  describe: (_params, f) =>
    `Matched ${f.frames} frames with each other: double surface ` +
    `${percent(Number(f.doubleBefore))} → ${percent(Number(f.doubleAfter))}`,
})
