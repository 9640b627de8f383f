export { denoise, EDGE_WAYS, type Denoised, type DenoiseOptions, type EdgeWay } from './denoise'
export { noiseEach, noiseOf } from './noise'
