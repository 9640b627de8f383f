import Joi from 'joi'
import type { Verdict } from '../findings'
import { WORKS_ON } from './inputs'
import { defineOperation } from './operation'

interface Params {
  reason: string
  verdict: Verdict
}

/**
 * A person stands for a join that the findings do not: the motions stay as they are, the reason goes into the ledger.
 */
export const acceptJoin = defineOperation({
  name: 'join.accept',
  version: 1,
  inputs: { motions: WORKS_ON.join },
  params: Joi.object<Params>({
    reason: Joi.string().trim().min(3).max(400).required().messages({
      'string.empty': 'Say why this join may be trusted.',
      'string.min': 'Say why this join may be trusted, in a few words.',
    }),
    verdict: Joi.string().valid('doubtful', 'unsound').required(),
  }),
  onPiece: { track: 'join', doing: () => 'Keeping the join' },
  estimate: () => ({ work: 0.001, bytes: 1000 }),
  run: ({ motions }, { reason, verdict }) => ({
    outputs: { motions: motions },
    figures: { accepted: true, verdict },
    findings: [{ id: 'join.accepted', verdict: 'doubtful', text: `Taken although ${verdict}: ${reason}` }],
  }),
  describe: ({ reason, verdict }) => `Join accepted although ${verdict}: ${reason}`,
})
