import { looked, takesOf, type StationTold } from '../told'

export const planTold: StationTold = {
  own({ plan }) {
    if (!plan) return null
    const { outlook } = plan
    return looked([
      outlook
        ? { id: 'plan.outlook', verdict: outlook.verdict, text: outlook.text }
        : { id: 'plan.outlook', verdict: 'doubtful', text: 'Open the plan to see what its takes come to.' },
    ])
  },
  figure: ({ plan }) => (plan ? (plan.outlook?.figure ?? `${plan.content.takes.length} takes`) : ''),
  waitsFor(state) {
    const { mesh, plan } = state
    if (mesh || takesOf(state).length > 0) return null
    if (!plan) return { text: 'The brief is written; the session is not planned yet.', move: 'Plan the session' }
    return plan.outlook && plan.outlook.verdict !== 'sound'
      ? { text: plan.outlook.text, move: 'Look at the plan' }
      : null
  },
  works: (job) => job.track === 'plan',
}
