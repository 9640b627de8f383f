import { matchFine } from '@holosoma/core/align/icp'
import { prepareCloud } from '@holosoma/core/align/oriented-cloud'
import { quietContext, roughMotion } from '@holosoma/core'
import { cleanTakes, withNoise } from '/work/main/benchmarks/lib'
import { boundsOf, diagonal } from '@holosoma/core/shapes'
const { takes, truth, device } = cleanTakes(0.365)
const [a, b] = takes
const size = diagonal(boundsOf(a.positions))
const middle = [0, 1, 2].map((c) => (boundsOf(b.positions).min[c]! + boundsOf(b.positions).max[c]!) / 2)
const noisy = [withNoise(b, device, 1), withNoise(a, device, 2)].map(({ positions }) => ({ kind: 'cloud' as const, positions }))
const start = roughMotion(truth, middle, 3, 10, 0.05 * size)
for (let k=0;k<4;k++){
let t=performance.now(); const r=noisy.map(c=>prepareCloud(c,quietContext())); const t1=performance.now()-t; t=performance.now();
const m=matchFine(r[0],r[1],start,{},quietContext()); console.log('prepare',t1.toFixed(0),'match',(performance.now()-t).toFixed(0),m.iterations,m.stop,m.pairs,m.scatterMm,r[0].features.noiseMm,r[0].features.spacingMm)}
