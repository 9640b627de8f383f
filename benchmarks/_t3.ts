import { matchFine } from '@holosoma/core/align/icp'
import { prepareCloud } from '@holosoma/core/align/oriented-cloud'
import { quietContext, roughMotion, seededRandom } from '@holosoma/core'
import { cleanTakes, withNoise } from './lib'
import { boundsOf, diagonal } from '@holosoma/core/shapes'
const { takes, truth, device } = cleanTakes(0.365)
const [a, b] = takes
const size = diagonal(boundsOf(a.positions))
const middle = [0, 1, 2].map((c) => (boundsOf(b.positions).min[c]! + boundsOf(b.positions).max[c]!) / 2)
const noisy = [withNoise(b, device, 1), withNoise(a, device, 2)].map(({ positions }) => ({ kind: 'cloud' as const, positions }))
const start = roughMotion(truth, middle, 3, 10, 0.05 * size)
void seededRandom
let P=0,M=0
for (let k=0;k<13;k++){
let t=performance.now(); const r=noisy.map(c=>prepareCloud(c,quietContext())); const t1=performance.now()-t; t=performance.now();
matchFine(r[0],r[1],start,{},quietContext()); if(k>2){P+=t1;M+=performance.now()-t}}
console.log(P/10,M/10)
