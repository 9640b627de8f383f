import { NET_BOBBIN } from './bobbin'
import { BRASS_CLEAT } from './cleat'
import { GULL_FIGUREHEAD } from './gull'
import { BANDED_JUG } from './jug'
import { OIL_LAMP } from './lamp'
import type { DemoPiece } from './piece'
import { STOVE_TILE } from './tile'

/** All that the simulated bench can put on its table, by the name the command line and the database know it by. */
export const DEMO_PIECES: Readonly<Record<string, DemoPiece>> = {
  lamp: OIL_LAMP,
  bobbin: NET_BOBBIN,
  tile: STOVE_TILE,
  jug: BANDED_JUG,
  gull: GULL_FIGUREHEAD,
  cleat: BRASS_CLEAT,
}

export { BANDED_JUG, BRASS_CLEAT, GULL_FIGUREHEAD, NET_BOBBIN, OIL_LAMP, STOVE_TILE }
export type { DemoPiece, SurfaceSample } from './piece'
