import { GeometryError } from './errors'
import { attributesOf, cornerAttributesOf, faceAttributesOf, type Shape } from './shapes'

/**
 * Refuses a shape whose parts do not go together: so many normals, colours or frames as there are points, and no other
 * number.
 */
export function assertFits(shape: Shape): void {
  const n = shape.positions.length / 3
  if (!Number.isInteger(n)) throw new GeometryError('SHAPE', 'The last point has not all of its three coordinates.')
  for (const { values, attribute } of attributesOf(shape))
    if (values.length !== n * attribute.width)
      throw new GeometryError(
        'SHAPE',
        `There are ${n} points and ${values.length / attribute.width} ${attribute.noun}; each point has one.`,
      )
  if (shape.kind === 'mesh') {
    if (shape.indices.length % 3 !== 0)
      throw new GeometryError('SHAPE', 'The last triangle has not all of its three corners.')
    const corners = shape.indices.length
    for (const [list, count, of] of [
      [cornerAttributesOf(shape), corners, 'corner'],
      [faceAttributesOf(shape), corners / 3, 'triangle'],
    ] as const)
      for (const { values, attribute } of list)
        if (values.length !== count * attribute.width)
          throw new GeometryError(
            'SHAPE',
            `There are ${count} ${of}s and ${values.length / attribute.width} ${attribute.noun}; each ${of} has one.`,
          )
    const pictures = shape.pictures?.length ?? 0
    if (pictures > 0 && !(shape.picture && shape.uvs))
      throw new GeometryError('SHAPE', 'There are pictures, and nothing says which triangle has what of them.')
    const beyond = shape.picture?.find((p) => p > pictures)
    if (beyond !== undefined)
      throw new GeometryError('RANGE', `A triangle has its colour from picture ${beyond}; there are ${pictures}.`)
  } else if (shape.frameOrigins && shape.frameOrigins.length % 3 !== 0)
    throw new GeometryError('SHAPE', 'Where the last frame stood is no place.')
}

/**
 * Refuses a shape that would poison what follows: no points, parts that do not go together, non-finite numbers, indices
 * out of range.
 */
export function assertSound(shape: Shape): void {
  assertFits(shape)
  const { positions } = shape
  if (positions.length === 0) throw new GeometryError('EMPTY', 'There are no points in it.')
  for (let i = 0; i < positions.length; i++) {
    if (!Number.isFinite(positions[i])) {
      throw new GeometryError('NOT_FINITE', `Point ${Math.floor(i / 3) + 1} has a coordinate that is not a number.`, {
        point: Math.floor(i / 3),
      })
    }
  }
  const { normals } = shape
  if (normals) {
    for (let i = 0; i < normals.length; i++) {
      if (!Number.isFinite(normals[i]))
        throw new GeometryError('NOT_FINITE', `The normal of point ${Math.floor(i / 3) + 1} is not a number.`)
    }
  }
  const lost = shape.kind === 'mesh' && shape.uvs ? shape.uvs.findIndex((v) => !Number.isFinite(v)) : -1
  if (lost >= 0)
    throw new GeometryError('NOT_FINITE', `Triangle ${Math.floor(lost / 6) + 1} has a corner nowhere in its picture.`)
  if (shape.kind === 'cloud' && shape.frame && shape.frameOrigins) {
    const frames = shape.frameOrigins.length / 3
    for (let i = 0; i < shape.frame.length; i++) {
      if (shape.frame[i] >= frames)
        throw new GeometryError(
          'RANGE',
          `Point ${i + 1} was seen by frame ${shape.frame[i]}, but there are only ${frames}.`,
        )
    }
  }
  if (shape.kind === 'mesh') {
    const n = positions.length / 3
    for (let i = 0; i < shape.indices.length; i++) {
      if (shape.indices[i] >= n) {
        throw new GeometryError(
          'RANGE',
          `Triangle ${Math.floor(i / 3) + 1} names point ${shape.indices[i]}, but there are only ${n}.`,
        )
      }
    }
  }
}
