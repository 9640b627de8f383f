import sharp from 'sharp'
import { decodeWith } from '@holosoma/core'

/** Decodes the pictures of meshes. */
export const decodePicture = decodeWith(sharp)
