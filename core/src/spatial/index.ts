/* Search in space. The ways into this room for the other workspaces. */
export * from './kd-tree'
export * from './pick'
export * from './triangle-bvh'
