import Joi from 'joi'
import { GeometryError } from '../errors'
import { areaText, grouped, type Finding } from '../findings'
import { healMesh, type HealAct } from '../heal/heal'
import { changedAreaMm2 } from '../mesh/changed-area'
import type { MeshHealth } from '../mesh/health'
import { WORKS_ON } from './inputs'
import { healthDetails, healthFigures, healthFindings, type HealthDetails } from './mend'
import { ANYWHERE, defineOperation } from './operation'

interface Params {
  /** Parts smaller than this share of the piece's size go; 0 keeps all. */
  crumbs: number
  /** Holes stay open, as an archive has them. */
  keepsHoles: boolean
}

declare module './details' {
  interface OperationDetails {
    'mend.heal': HealthDetails & {
      /** What was cured, and how many of each kind. */
      readonly cured: Readonly<Record<string, number>>
    }
  }
}

/** What each act did to so many, in the order in which they are told. */
const TOLD: readonly (readonly [HealAct, (n: number) => string])[] = [
  ['caps', (n) => `${several(n, 'face')} without area taken out`],
  ['doubles', (n) => `${several(n, 'face')} there twice taken out`],
  ['fins', (n) => `${several(n, 'face')} of fins taken off`],
  ['turned', (n) => `${several(n, 'face')} turned to face as those beside ${n === 1 ? 'it' : 'them'}`],
  ['crumbs', (n) => `${several(n, 'crumb')} taken away`],
  ['holes', (n) => `${several(n, 'hole')} closed`],
  ['cut', (n) => `surfaces that touched drawn apart at ${several(n, 'point')}`],
  ['inside', (n) => `${several(n, 'part')} that lay inside another taken out`],
  ['outward', (n) => `${several(n, 'part')} turned to face outward`],
  ['united', (n) => `${grouped(n)} bodies that went through each other made one`],
  ['crossings', (n) => `${several(n, 'face')} about crossings taken out and closed anew`],
]

const several = (n: number, what: string): string => `${grouped(n)} ${what}${n === 1 ? '' : 's'}`

/** Cures all that can be cured without asking, and says what is left and why. */
export const heal = defineOperation({
  name: 'mend.heal',
  version: 1,
  inputs: { mesh: WORKS_ON.skin },
  params: Joi.object<Params>({
    crumbs: Joi.number().min(0).max(0.2).default(0.02),
    keepsHoles: Joi.boolean().default(false),
  }),
  onPiece: { track: 'mesh', doing: () => 'Curing what is safe' },
  again: ANYWHERE,
  estimate: ({ mesh }) => ({ work: mesh.indices.length / 2e5, bytes: mesh.indices.byteLength * 14 }),
  async run({ mesh }, { crumbs, keepsHoles }, context) {
    const { mesh: healed, acts, health } = await healMesh(mesh, { crumbs, keepsHoles }, context)
    if (healed.indices.length === 0)
      throw new GeometryError('EMPTY', 'Nothing here is a surface that holds a body; nothing was changed.')
    const changed = changedAreaMm2(mesh, healed)
    const done = TOLD.flatMap(([act, say]) => (acts.get(act) ? [say(acts.get(act)!)] : []))
    return {
      outputs: { mesh: healed },
      figures: { acts: done.join('; '), ...changed, ...healthFigures(health) },
      findings: [...healthFindings(health), ...left(health, keepsHoles)],
      details: { ...healthDetails(healed, health), cured: Object.fromEntries(acts) },
    }
  },
  describe: (_params, figures) =>
    figures.acts === ''
      ? 'Cured what is safe: there was nothing to cure'
      : `Cured what is safe: ${figures.acts}; ${areaText(Number(figures.goneMm2))} of surface went, ` +
        `${areaText(Number(figures.addedMm2))} came`,
})

/** Why holes are left, where they are. */
function left(health: MeshHealth, keepsHoles: boolean): Finding[] {
  if (health.borderEdges === 0 || keepsHoles) return []
  return [
    {
      id: 'mend.heal.left',
      verdict: 'unsound',
      text:
        health.loops.length > 0
          ? `Over ${several(health.loops.length, 'hole')} nothing could be laid that does not cross the surface. ` +
            'A sheet that holds no body stays open for that reason, too.'
          : `${several(health.borderEdges, 'open edge')} make no whole rim, and stayed.`,
      nextMove: 'Cut the surface round such a hole wider, and close it then',
    },
  ]
}
