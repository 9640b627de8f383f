export { remesh, REMESH_DEFAULTS, type RemeshOptions } from './remesh'
export type { Ground } from './relax'
