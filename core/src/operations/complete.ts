import Joi from 'joi'
import { stage } from '../context'
import { EMPTY_BRIEF, briefSchema, type Brief } from '../brief/brief'
import { surveyTakes, type Completeness, type FoundGap } from '../complete/completeness'
import { completenessFindings } from '../complete/findings'
import { layTakes } from '../complete/lay'
import { deviceSchema, type DeviceProfile } from '../plan/device-profile'
import type { Proposal } from '../plan/next-take'
import { takeSchema, type PlannedTake } from '../plan/takes'
import type { TriangleMesh } from '../shapes'
import { TABLETOP_DEVICE } from '../bench/capture'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  names: string[]
  /** How each take was made, by its plan; null where that is not known. */
  planned: (PlannedTake | null)[]
  /**
   * Motions of a join that holds all takes, take → fixed take; null: laid together by their planned poses and a coarse
   * match.
   */
  motions: Record<string, number[][]> | null
  fixed: string
  device: DeviceProfile
  brief: Brief
  toCome: PlannedTake[]
  /** What the plan said would be seen of what matters; null without a plan. */
  promised: number | null
}

export interface CompleteDetails {
  readonly gaps: readonly FoundGap[]
  readonly proposal: Proposal | null
}
declare module './details' {
  interface OperationDetails {
    'take.complete': CompleteDetails
  }
}

/** Have I got everything? Judged from the takes alone; no truth is used. */
export const checkComplete = defineOperation({
  name: 'take.complete',
  version: 1,
  inputs: { takes: WORKS_ON.takes },
  params: Joi.object<Params>({
    names: Joi.array().items(Joi.string()).min(1).required(),
    planned: Joi.array().items(takeSchema.allow(null)).required(),
    motions: Joi.object()
      .pattern(Joi.string(), Joi.array().items(Joi.array().items(Joi.number()).length(4)).length(4))
      .allow(null)
      .default(null),
    fixed: Joi.string().required(),
    device: deviceSchema.default(TABLETOP_DEVICE),
    brief: briefSchema.optional().default(EMPTY_BRIEF),
    toCome: Joi.array().items(takeSchema).default([]),
    promised: Joi.number().min(0).max(1).allow(null).default(null),
  }),
  onPiece: { track: 'check', doing: () => 'Looking for what is missing' },
  estimate: ({ takes }) => ({ work: 4 + takes.length, bytes: 300e6 }),
  async run(inputs, params, context) {
    const laid = layTakes(inputs.takes, params, stage(context, 0, 0.3))
    const found = await surveyTakes(
      laid.takes,
      {
        device: params.device,
        brief: params.brief,
        toCome: params.toCome,
        mayTurn: params.brief.permissions.turn.allowed !== false,
      },
      stage(context, 0.3, 1),
    )
    return {
      outputs: {
        estimate: soup(found),
        classes: { kind: 'scalars' as const, values: Float32Array.from(found.classes) },
      },
      figures: {
        takes: params.names.length,
        unseen: found.unseen.share,
        low: found.unseen.low,
        high: found.unseen.high,
        unseenThatMatters: found.unseenThatMatters,
        seenMm2: found.seenMm2,
        thinMm2: found.thinMm2,
        openMm2: found.openMm2,
        hiddenMm2: found.hiddenMm2,
        promised: params.promised ?? -1,
        lying: laid.how,
        left: laid.left.join(', '),
      },
      details: { gaps: found.gaps, proposal: found.proposal },
      findings: completenessFindings(
        found,
        params.promised,
        laid,
        params.toCome.map((t) => t.name),
      ),
    }
  },
  describe: (_params, figures) =>
    `Looked for what is missing: ${(100 * Number(figures.unseen)).toFixed(1)} % of what can be seen is not`,
})

/** The facets as a mesh of separate triangles, so that each can be painted. */
function soup({ facets }: Completeness): TriangleMesh {
  return {
    kind: 'mesh',
    positions: facets.corners,
    normals: facets.cornerNormals,
    indices: Uint32Array.from({ length: facets.count * 3 }, (_, i) => i),
  }
}
