import { checkpoint, stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import type { Pixels } from '../pictures'
import type { TriangleMesh } from '../shapes'
import { simplifyMesh } from '../simplify/simplify'
import { atWidth, type Camera } from '../view/camera'
import { ContourFinder } from './contour'
import { extentOf } from './extent'
import { fitPhotos, type FittedPhoto } from './fit-photos'
import { fitTurn, shareOnEdges, type FittedTurn, type Held, type TurnPhoto } from './fit-turn'
import { levelsOf, type Level } from './grey-levels'
import { poseFromPicks, type FocalGuess, type PhotoPick, type PickedPose } from './pose-from-picks'
import { surfacePlaces } from './surface-places'
import { turnsToTry, type TableAxis } from './try-turns'
import { turnCamera, type Turn } from './turn'

/** What is known of a turn of photos before. */
export interface TurnGuess {
  /** Of each photo, how far the table had gone on, degrees; whichever way it goes. */
  readonly anglesDeg: readonly number[]
  /** How sure the steps are, as a share. */
  readonly stepsSure: number
  readonly axis: TableAxis | null
  /** The photo somebody picked on, and the picks, in pixels of the photos as they are told. */
  readonly picked: number
  readonly picks: readonly PhotoPick[]
  readonly focal: FocalGuess | null
}

/** A photo whose camera is looked for. */
export interface UnknownPhoto {
  readonly name: string
  readonly widthPx: number
  readonly heightPx: number
  /** Decoded, evenly made smaller to so many pixels. */
  read(mostPixels: number): Promise<Pixels>
}

export interface SolvedPhoto {
  readonly name: string
  readonly camera: Camera
  /** Median distance of the piece's contours from edges of the photo, px of it. */
  readonly residualPx: number
  /** Share of the contours that lie on an edge of it. */
  readonly found: number
  /** It does not show what the others show there. */
  readonly bad: boolean
}

export interface SolvedTurn {
  readonly photos: readonly SolvedPhoto[]
  readonly picked: PickedPose
  readonly turn: Turn
  /**
   * How much less of the contours lies on edges when the piece is turned a little further, as a share; near naught its
   * shape does not tell how far it is turned.
   */
  readonly turnTold: number
}

/** Photos are looked at so many pixels across, and in halves and quarters of it: fine, middle, coarse. */
const LOOK_PX = 640
/** Smaller than this nothing of a piece is left. */
const LEAST_PX = 150
const [FINE, MIDDLE, COARSE] = [0, 1, 2] as const
const COARSE_FACES = 6000
const FINE_FACES = 24_000
const TRIED_PHOTOS = 8
/** How far edges are looked for, round by round, px of the size that is looked at. */
const TRY_REACH = [12, 9, 7, 5]
const COARSE_REACH = [8, 6, 5, 4]
const MIDDLE_REACH = [6, 5, 4]
const FINE_REACH = [5, 4]
const LAST_REACH = [3, 3]
/** Of the ways that were tried so many are followed. */
const FOLLOWED = 3
const COLOUR_ROUNDS = 4
const PLACES = 2500
/** Less of the contours on edges than this: the photos do not show the piece so. */
const LEAST_FOUND = 0.25
/** A photo is bad where so much less of its contours lies on edges than is usual in its turn. */
const BAD_SHARE = 0.6
const BAD_TIMES = 3
/** All photos of a turn are held at once, 5 MB each. */
const MOST_A_TURN = 360
/** A shape that tells how far it is turned fits worse when it is turned so much further, radians. */
const FURTHER = (4 * Math.PI) / 180

/**
 * Finds where the camera of every photo of a turn stood: picks on one photo tell where its camera was; axis and sense of
 * the table are tried and then moved, with camera and lens, until contours of the piece lie on edges in all photos; then
 * each photo by itself until its colours agree with the others'.
 * @throws PARAMS for too few picks, mirrored ones or photos of several sizes; DEGENERATE where no way of turning shows
 * the piece in the photos
 */
export async function solveTurn(
  mesh: TriangleMesh,
  photos: readonly UnknownPhoto[],
  guess: TurnGuess,
  context: RunContext,
): Promise<SolvedTurn> {
  if (photos.length > MOST_A_TURN)
    throw new GeometryError('PARAMS', `A turn has up to ${MOST_A_TURN} photos; these are ${photos.length}.`)
  const { widthPx, heightPx, name } = photos[guess.picked]
  const strange = photos.find((p) => p.widthPx !== widthPx || p.heightPx !== heightPx)
  if (strange)
    throw new GeometryError(
      'PARAMS',
      `“${strange.name}” has ${strange.widthPx} × ${strange.heightPx} pixels, “${name}” ${widthPx} × ${heightPx}: ` +
        'photos of one turn are of one camera that was held alike.',
    )
  const picked = poseFromPicks(guess.picks, widthPx, heightPx, guess.focal)
  if (picked.mirrored)
    throw new GeometryError(
      'PARAMS',
      `The picks on “${name}” fit the mirror image of the piece: the photo is mirrored, or left and right were swapped.`,
    )
  const levels = await readLevels(photos, widthPx, heightPx, stage(context, 0, 0.15))
  const width = levels[0][0].width
  const fine = fewerFaces(mesh, FINE_FACES)
  const finder = new ContourFinder(fine)
  const coarse = new ContourFinder(fewerFaces(fine, COARSE_FACES))
  const { middle, size } = extentOf(fine)
  const angles = guess.anglesDeg.map((a) => ((a - guess.anglesDeg[guess.picked]) * Math.PI) / 180)
  const k = width / widthPx
  const picks = guess.picks.map(({ px, at }): PhotoPick => ({ px: [px[0] * k, px[1] * k], at }))
  const begin = atWidth(picked.camera, width)
  const held: Held = {
    focalPx: guess.focal ? guess.focal.focalPx * k : begin.focalPx,
    focal: guess.focal?.sure ?? 0.2,
    bent: 1e-3,
    steps: guess.stepsSure,
    pose: 0.2,
    axis: 0.2,
  }
  const bending = (bent: number): Held => ({ ...held, bent })
  const seen = (level: number, most = Infinity): TurnPhoto[] => {
    const step = Math.max(1, photos.length / most)
    const out: TurnPhoto[] = []
    for (let i = 0; i < photos.length; i += step)
      out.push({ angle: angles[Math.floor(i)], level: levels[Math.floor(i)][Math.min(level, levels[0].length - 1)] })
    return out
  }
  const some = seen(COARSE, TRIED_PHOTOS)
  const ways = turnsToTry(begin, guess.axis, middle)
  const trying = stage(context, 0.15, 0.4)
  const tried = ways.map((way, i) => {
    checkpoint(trying, i, ways.length, 'Trying how the table turned')
    return fitTurn(way, some, coarse, middle, size, held, TRY_REACH, picks)
  })
  const followed = bestFirst(tried).slice(0, FOLLOWED)
  const both = (['strongest', 'outermost'] as const).map((wanted, i) => {
    checkpoint(stage(context, 0.4, 0.65), i, 2, 'Laying contours on edges')
    const [rough] = bestFirst(
      followed.map((b) => fitTurn(b.turn, seen(COARSE), coarse, middle, size, held, COARSE_REACH, picks, wanted)),
    )
    const fitted = fitTurn(rough.turn, seen(MIDDLE), finder, middle, size, bending(0.01), MIDDLE_REACH, picks, wanted)
    return fitTurn(fitted.turn, seen(FINE), finder, middle, size, bending(0.05), FINE_REACH, picks, wanted)
  })
  // Both are held against the same edges in the end.
  const [best] = bestFirst(
    both.map((b) => fitTurn(b.turn, seen(FINE), finder, middle, size, bending(0.05), LAST_REACH, picks)),
  )
  if (!(best.found >= LEAST_FOUND))
    throw new GeometryError('DEGENERATE', 'No way of turning shows the piece in these photos as it was picked.')
  const further = seen(FINE, TRIED_PHOTOS)
  const onEdges = (by: number): number =>
    shareOnEdges(
      best.turn,
      further.map((p) => ({ ...p, angle: p.angle + by })),
      finder,
    )
  const turnTold = 1 - Math.min(1, Math.max(onEdges(FURTHER), onEdges(-FURTHER)) / Math.max(1e-9, onEdges(0)))
  const cameras = angles.map((angle) => turnCamera(best.turn, angle))
  const fitted = fitPhotos(
    cameras,
    levels.map((l) => l[FINE]),
    surfacePlaces(fine, cameras, PLACES),
    finder,
    middle,
    size,
    COLOUR_ROUNDS,
    stage(context, 0.65, 1),
  )
  return { photos: judged(fitted, photos), picked, turn: best.turn, turnTold }
}

async function readLevels(
  photos: readonly UnknownPhoto[],
  widthPx: number,
  heightPx: number,
  context: RunContext,
): Promise<Level[][]> {
  const out: Level[][] = []
  for (const [i, photo] of photos.entries()) {
    checkpoint(context, i, photos.length, `Reading ${photo.name}`)
    out.push(levelsOf(await photo.read(Math.ceil((LOOK_PX * LOOK_PX * heightPx) / widthPx)), COARSE + 1, LEAST_PX))
  }
  return out
}

const fewerFaces = (mesh: TriangleMesh, faces: number): TriangleMesh =>
  mesh.indices.length / 3 <= faces ? mesh : simplifyMesh(mesh, { faces }).mesh

/** Those whose contours found most edges, near to them, first. */
const bestFirst = (turns: readonly FittedTurn[]): FittedTurn[] =>
  [...turns].sort((a, b) => b.found / (1 + b.offPx) - a.found / (1 + a.offPx))

/** At the photos' own size; a photo that fits much worse than the others is called bad. */
function judged(fitted: readonly FittedPhoto[], photos: readonly UnknownPhoto[]): SolvedPhoto[] {
  const median = (values: number[]): number => values.sort((a, b) => a - b)[values.length >> 1]
  const usualFound = median(fitted.map((f) => f.found)),
    usualPx = median(fitted.map((f) => f.edgePx))
  return fitted.map((f, i) => ({
    name: photos[i].name,
    camera: { ...atWidth(f.camera, photos[i].widthPx), heightPx: photos[i].heightPx },
    residualPx: (f.edgePx * photos[i].widthPx) / f.camera.widthPx,
    found: f.found,
    bad: f.found < BAD_SHARE * usualFound || f.edgePx > BAD_TIMES * usualPx + 0.3,
  }))
}
