export { LARGEST_SHEET_PX, unwrap, type UnwrapOptions, type Unwrapped } from './unwrap'
