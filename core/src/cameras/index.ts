/* Cameras: where photos were taken from. The ways into this room for the other workspaces. */
export { picksRecordSchema, picksSchema, type PickRecord, type PicksRecord } from './picks-record'
export { LEAST_PICKS, poseFromPicks, type FocalGuess, type PhotoPick, type PickedPose } from './pose-from-picks'
export { solveTurn, type SolvedPhoto, type SolvedTurn, type TurnGuess, type UnknownPhoto } from './solve-turn'
export type { TableAxis } from './try-turns'
export { cameraFindings } from './camera-findings'
