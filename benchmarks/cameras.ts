/**
 * How near the cameras of a turn are found that nobody knows, and what it takes:
 * npx tsx benchmarks/cameras.ts [piece] [pose] [photos] [pixels wide] [mm] [picks] [lens: written or unknown] [seed]
 */
import { DEMO_PIECES, polygonise, quietContext } from '@holosoma/core'
import { solveTurn } from '@holosoma/core/cameras'
import { ALL_EFFECTS } from '@holosoma/core/bench'
import type { PoseName } from '@holosoma/core/plan'
import { photoSet } from '@holosoma/core/testing/photo-set'
import { apartPx, truePicks } from '@holosoma/core/testing/true-picks'

const [
  name = 'gull',
  pose = 'upright',
  count = '24',
  width = '640',
  mm = '2',
  picks = '5',
  lens = 'written',
  seed = '1',
] = process.argv.slice(2)
/** A hand is off by 10 pixels of 4,000. */
const HAND = 10 / 4000
const piece = DEMO_PIECES[name]
const mesh = polygonise(piece.field, piece.bounds, Number(mm), quietContext())
const set = [...photoSet(piece, [pose as PoseName], +count, +width, 7, ALL_EFFECTS)]
const picked = (Number(seed) * 7) % set.length
const begun = process.cpuUsage()
const solved = await solveTurn(
  mesh,
  set.map(({ name: file, photo: { width: widthPx, height: heightPx, rgb } }) => ({
    name: file,
    widthPx,
    heightPx,
    read: () => Promise.resolve({ width: widthPx, height: heightPx, rgb }),
  })),
  {
    anglesDeg: set.map((_, i) => (i * 360) / set.length),
    stepsSure: 0.003,
    axis: null,
    picked,
    picks: truePicks(mesh, set[picked].camera, +picks, HAND * Number(width), +seed),
    focal: lens === 'written' ? { focalPx: set[picked].camera.focalPx * 1.014, sure: 0.02 } : null,
  },
  quietContext(),
)
const { user, system } = process.cpuUsage(begun)
const off = solved.photos
  .map((p, i) => (apartPx(mesh, p.camera, set[i].camera) * 640) / Number(width))
  .sort((a, b) => a - b)
console.log(
  `${name}, ${pose}, ${set.length} photos of ${width} px, ${picks} picks, lens ${lens}: off by ` +
    `${off[off.length >> 1].toFixed(2)} px of 640 in the middle, ${off.at(-1)!.toFixed(2)} at most; ` +
    `${((user + system) / 1e6 / set.length).toFixed(2)} s of processor a photo; ` +
    `called bad: ${solved.photos.filter((p) => p.bad).length}; turned further it fits ${(100 * solved.turnTold).toFixed(0)} % worse`,
)
