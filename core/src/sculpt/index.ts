export { RawSurface } from './raw-surface'
export { BRUSHES, Sculpture, type Brush, type Sculpted, type Stroke, type StrokeKind } from './sculpture'
