export * from './errors'
export * from './context'
export * from './findings'
export * from './shapes'
export * from './pictures'
export * from './sound-shape'
export * from './linear/random'
export * from './linear/rigid'
export * from './operations'
export * from './formats'
export { rigidFromPairs, type PairFit } from './align/marks/pairs'
export { forecastSkin, predictBytes, predictFaces, spacingForFaces, spacingForPoints } from './fuse/predict'
export { evidenceShares } from './fuse/evidence'
export { checkHealth, massProperties, type MeshHealth } from './mesh/health'
export { changeMm } from './measure/change'
export { compareShapes } from './measure/compare'
export { fitScale, guessUnit, unitSlip, UNIT_MM, type Unit } from './measure/scale'
export { solidsWith, type Solids } from './solids'
export { weldVertices } from './mesh/weld'
export { overlapPlane } from './splice/overlap-plane'
export { simplifyMesh } from './simplify/simplify'
export {
  captureTake,
  trueMotion,
  LAMP_TAKES,
  ROAD_SPACING_MM,
  roughMotion,
  TABLETOP_DEVICE,
  type SimulatedTake,
} from './bench/capture'
export { checkTakePlans } from './bench/plan'
export { rangeNoiseMm } from './plan/device-profile'
export {
  BANDED_JUG,
  BRASS_CLEAT,
  DEMO_PIECES,
  GULL_FIGUREHEAD,
  NET_BOBBIN,
  OIL_LAMP,
  STOVE_TILE,
  type DemoPiece,
} from './bench/pieces'
export { polygonise } from './bench/polygonise'
export { cloudOfMesh, vertexNormals } from './mesh/normals'
export { evenEdgeMm, sampleSurface, sampleTextured, samplingSpacing } from './mesh/sample-surface'
export { makePreview, previewIndices, makeThumb, type Thumb } from './mesh/preview'
export type { Brief } from './brief/brief'
