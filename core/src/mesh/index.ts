/* Meshes for looking at. The ways into this room for the other workspaces. */
export * from './curve-pose'
export * from './preview'
export * from './split-at-seams'
