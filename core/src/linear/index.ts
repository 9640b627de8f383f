/* Rigid motions and seeded random numbers. The ways into this room for the other workspaces. */
export * from './random'
export * from './rigid'
export * from './similarity'
export * from './face-cross'
export * from './upright'
export * from './mean-point'
