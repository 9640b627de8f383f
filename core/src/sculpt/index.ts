export { fitFace } from './brush-forms'
export { RawSurface } from './raw-surface'
export { Sculpture } from './sculpture'
export * from './stroke'
