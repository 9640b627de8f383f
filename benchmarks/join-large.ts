/**
 * Twelve single views of a scanned mesh, six upright and six lying, of many points each: the whole join by shape with
 * its verdict, its time, memory and error.
 *   npx tsx benchmarks/join-large.ts MESH.off [points of each] [threads: 1 or 2]
 * Meshes as in join.ts.
 */
import { identityMotion, quietContext } from '@holosoma/core'
import { joinAndJudge } from '../core/src/align/takes/join-takes'
import { compose, invertRigid, rotationAngle } from '../core/src/linear/rigid'
import { standardSize, viewsOf } from '../core/src/testing/views'
import { readOff, twoThreads } from './lib'

const [file, points = '1000000', threads = '2'] = process.argv.slice(2)
const views = viewsOf(standardSize(readOff(file)), 7, { points: Number(points), perPose: 6 })
const pool = threads === '2' ? await twoThreads() : null
const start = performance.now()
const report = await joinAndJudge(
  {
    clouds: views.map((v) => v.cloud),
    starts: views.map((_, i) => (i === 0 ? identityMotion() : null)),
    groups: views.map((_, i) => i),
    fixedAt: 0,
    toleranceMm: null,
  },
  { ...quietContext(), ...(pool && { parallel: pool }) },
)
const seconds = (performance.now() - start) / 1000
await pool?.close()
const offDeg = report.motions.map((m, i) =>
  m
    ? (rotationAngle(compose(invertRigid(compose(invertRigid(views[0].truth), views[i].truth)), m)) * 180) / Math.PI
    : Infinity,
)
process.stdout.write(
  `${views.length} takes of about ${Math.round(views[0].cloud.positions.length / 3)} points, ` +
    `${threads} ${threads === '1' ? 'thread' : 'threads'}: ${seconds.toFixed(1)} s, at most ` +
    `${(process.resourceUsage().maxRSS / 1e6).toFixed(2)} GB; ${report.pairs.length} pairs, ` +
    `${report.alternatives.length} other poses, worst ${Math.max(...offDeg).toFixed(4)}°\n`,
)
