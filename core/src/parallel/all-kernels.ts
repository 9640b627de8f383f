/* For the threads alone: every file that defines a kernel. Nothing an algorithm imports may import this. */
import '../align/coarse/describe'
import '../align/coarse/match-pairs'
import '../align/joint-gather'
import '../align/prepare-takes'
import '../cloud/normals'
import '../cloud/outliers'

export { kernelNamed } from './kernel'
