/* Figures of point clouds. The ways into this room for the other workspaces. */
export * from './area'
export * from './normals'
export * from './spacing'
export * from './sparse-features'
export * from './thin'
