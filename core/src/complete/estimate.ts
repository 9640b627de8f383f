import { estimateFeatures } from '../cloud/normals'
import { thinEvenly } from '../cloud/thin'
import { stage, type RunContext } from '../context'
import { GeometryError } from '../errors'
import { makeSkin } from '../fuse/skin'
import { invertRigid, rotateVectors, transformPoint, transformPoints, type Motion } from '../linear/rigid'
import { boundsOf, diagonal, EVIDENCE, pickPoints, type PointCloud, type TriangleMesh } from '../shapes'

/** A take laid beside the others: its points in its own frame, and where they belong on the standing piece. */
export interface LaidTake {
  readonly name: string
  readonly cloud: PointCloud
  /** Take → standing piece. */
  readonly motion: Motion
  /** Height in the take's frame under which nothing is the piece: table, riser or putty; null where none is known. */
  readonly floorMm: number | null
}

/** Cells over the diagonal of the piece. */
const CELLS = 110
/** Points this much over the floor may still be it. */
const FLOOR_BAND_MM = 0.6

/** All points of the piece in one frame, thinned, with frames numbered through all takes. */
export interface Gathered {
  readonly cloud: PointCloud
  /** Take of each point. */
  readonly take: Uint16Array
  readonly spacingMm: number
  /** Per take: how many points each one that was kept stands for. */
  readonly standsFor: readonly number[]
}

/**
 * The takes without table and holder, in the frame of the standing piece.
 * @throws EMPTY when nothing stands over the floor
 */
export function gatherTakes(
  takes: readonly LaidTake[],
  context: RunContext,
): { readonly laid: readonly { cloud: PointCloud; motion: Motion }[]; readonly gathered: Gathered } {
  const laid = takes.map(({ cloud, motion, floorMm }, i) => {
    const { positions: p } = cloud
    const over =
      floorMm === null
        ? cloud
        : pickPoints(
            cloud,
            Int32Array.from({ length: p.length / 3 }, (_, k) => k).filter(
              (k) => p[k * 3 + 2] > floorMm + FLOOR_BAND_MM,
            ),
          )
    if (over.positions.length < 300)
      throw new GeometryError('EMPTY', `“${takes[i].name}” holds hardly anything over the table; take it again.`)
    return {
      cloud: over.normals ? over : { ...over, normals: estimateFeatures(over, stage(context, 0, 0.3)).normals },
      motion,
    }
  })
  const whole = laid.map(({ cloud, motion }) => transformPoints(motion, cloud.positions))
  const size = diagonal(boundsOf(concat(whole)))
  const spacingMm = size / CELLS / 2
  const thinned = laid.map(({ cloud, motion }) => ({ cloud: pickPoints(cloud, thinEvenly(cloud, spacingMm)), motion }))
  const counts = thinned.map((t) => t.cloud.positions.length / 3)
  const total = counts.reduce((a, b) => a + b, 0)
  const take = new Uint16Array(total),
    frame = new Uint16Array(total)
  const origins: number[] = []
  let at = 0
  thinned.forEach(({ cloud, motion }, t) => {
    take.fill(t, at, at + counts[t])
    const base = origins.length / 3
    const o = cloud.frameOrigins
    if (o && cloud.frame)
      for (let f = 0; f < o.length; f += 3) origins.push(...transformPoint(motion, o[f], o[f + 1], o[f + 2]))
    // A take that tells no frames counts as one, seen from wherever each surface faces.
    else origins.push(NaN, NaN, NaN)
    for (let k = 0; k < counts[t]; k++) frame[at + k] = base + (o && cloud.frame ? cloud.frame[k] : 0)
    at += counts[t]
  })
  const cloud: PointCloud = {
    kind: 'cloud',
    positions: concat(thinned.map((t) => transformPoints(t.motion, t.cloud.positions))),
    normals: concat(thinned.map((t) => rotateVectors(t.motion, t.cloud.normals!))),
    frame,
    frameOrigins: Float64Array.from(origins),
  }
  return {
    laid: thinned,
    gathered: { cloud, take, spacingMm, standsFor: laid.map((l, t) => l.cloud.positions.length / 3 / counts[t]) },
  }
}

function concat(parts: readonly Float32Array[]): Float32Array {
  const out = new Float32Array(parts.reduce((n, p) => n + p.length, 0))
  let at = 0
  for (const p of parts) {
    out.set(p, at)
    at += p.length
  }
  return out
}

/**
 * A coarse closed estimate of the whole surface from what has been taken: the skin at a hundredth of the size, whose
 * gaps are closed by a membrane that respects the free space the frames looked through; nothing of it may lie under a
 * table the piece stood on.
 */
export function coarseEstimate(
  takes: readonly LaidTake[],
  laid: readonly { cloud: PointCloud; motion: Motion }[],
  spacingMm: number,
  context: RunContext,
): TriangleMesh {
  const { mesh } = makeSkin(
    laid.map(({ cloud, motion }) => ({ cloud: cloud as PointCloud & { normals: Float32Array }, motion })),
    { spacingMm: spacingMm * 2 },
    context,
  )
  const { positions: p, evidence } = mesh
  for (const { motion, floorMm } of takes) {
    if (floorMm === null) continue
    const back = invertRigid(motion)
    for (let v = 0, i = 0; i < p.length; v++, i += 3) {
      if (evidence![v] === EVIDENCE.measured) continue
      const at = transformPoint(back, p[i], p[i + 1], p[i + 2])
      if (at[2] >= floorMm) continue
      const [x, y, z] = transformPoint(motion, at[0], at[1], floorMm)
      p[i] = x
      p[i + 1] = y
      p[i + 2] = z
    }
  }
  return mesh
}
