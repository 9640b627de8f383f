export * from './brief'
export * from './checklist'
export * from './requirements'
export * from './words'
