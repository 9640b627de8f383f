import type { Finding } from '../findings'
import type { SolvedTurn } from './solve-turn'

/** Looked at 640 pixels across, cameras that are found lie so near; of a wrong one contours lie farther off. */
const GOOD_PX = 1.2
const LOOK_PX = 640
/** Of the contours so many lie on edges where the photos show the piece well. */
const GOOD_FOUND = 0.6
/** A shape that fits less than so much worse when it is turned further does not tell how far it is turned. */
const TURN_TOLD = 0.08
const NAMED = 5

/** What finding the cameras of a turn came to, by what was looked at: contours on edges, picks, each photo. */
export function cameraFindings({ photos, picked, turnTold }: SolvedTurn): Finding[] {
  const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1]
  const off = median(photos.map((p) => (p.residualPx * LOOK_PX) / p.camera.widthPx))
  const found = median(photos.map((p) => p.found))
  const bad = photos.filter((p) => p.bad)
  const good = off <= GOOD_PX && found >= GOOD_FOUND
  const percent = `${Math.round(found * 100)} %`
  const findings: Finding[] = [
    {
      id: 'cameras.contours',
      verdict: good ? 'sound' : found >= GOOD_FOUND / 2 ? 'doubtful' : 'unsound',
      text: good
        ? `In the usual photo ${percent} of the piece’s contours lie on edges that it shows.`
        : `In the usual photo only ${percent} of the piece’s contours lie on edges that it shows: ` +
          'the cameras may stand elsewhere.',
      ...(good ? {} : { nextMove: 'Show the same places on another photo of the turn' }),
    },
  ]
  if (turnTold < TURN_TOLD)
    findings.push({
      id: 'cameras.round',
      verdict: 'doubtful',
      text:
        'The piece looks alike when it is turned a little further: how far it is turned in each photo rests on the ' +
        'picks, the steps and its colours alone, and was not seen by its shape.',
      nextMove: 'Show more places, spread round the piece, and tell the true steps',
    })
  const worst = Math.max(...picked.residualsPx)
  if (worst > 0.02 * photos[0].camera.widthPx)
    findings.push({
      id: 'cameras.picks',
      verdict: 'doubtful',
      text: `One place was shown ${Math.round(worst)} pixels from where the others put it; it may be another place.`,
      nextMove: `Look at pick ${picked.residualsPx.indexOf(worst) + 1} again`,
    })
  if (bad.length > 0) {
    const names = bad.slice(0, NAMED).map((p) => `“${p.name}”`)
    findings.push({
      id: 'cameras.bad',
      verdict: 'doubtful',
      text:
        `${bad.length === 1 ? 'One photo does' : `${bad.length} photos do`} not show the piece as the others do: ` +
        `${names.join(', ')}${bad.length > NAMED ? ', …' : ''}. Their colours are left out.`,
      nextMove: 'Look whether they are of this turn, and sharp',
    })
  }
  return findings
}
