/* What a skin will come to. The ways into this room for the other workspaces. */
export * from './predict'
export * from './trial'
export type { EdgeChoice, EdgeLines } from '../crease/keep-edges'
