/* For the threads alone: every file that defines a kernel. Nothing an algorithm imports may import this. */
import './align/coarse/features'
import './align/coarse/match-pairs'
import './align/refine/joint-gather'
import './align/takes/prepare-takes'
import './colour/blend-samples'
import './colour/sample-photo'
import './colour/score-views'
import './cloud/normals'
import './cloud/outliers'

export { kernelNamed } from './parallel/kernel'
