import sharp from 'sharp'
import { decodeWith, encodeWith } from '@holosoma/core'

/** Decodes the pictures of meshes. */
export const decodePicture = decodeWith(sharp)

/** Encodes pictures of the house's own. */
export const encodePicture = encodeWith(sharp)
