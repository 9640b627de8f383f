import { GeometryError } from '../errors'
import { scaled } from '../measure/preset'
import { UNIT_MM, type Unit } from '../measure/scale'
import type { Shape } from '../shapes'
import { writeGlb } from './glb-writer'
import type { WriteFormat } from './kinds'
import { objFiles, writeObj, type NamedFile } from './obj-writer'
import { writePly } from './ply'
import { writeStl } from './stl'
import { writeXyz } from './xyz'

/**
 * A shape held in mm as a file whose numbers are in another unit, its place far from zero included. glTF is in metres,
 * whatever is asked.
 */
export const writeShapeIn = (shape: Shape, format: WriteFormat, unit: Unit): Iterable<Uint8Array<ArrayBuffer>> =>
  writeShape(format === 'glb' || unit === 'mm' ? shape : scaled(shape, 1 / UNIT_MM[unit]), format, unit)

/** The same as the files it takes: an OBJ with pictures has its materials and its pictures beside it. */
export const writeFilesIn = (shape: Shape, format: WriteFormat, unit: Unit, name: string): NamedFile[] =>
  format === 'obj'
    ? objFiles(unit === 'mm' ? shape : scaled(shape, 1 / UNIT_MM[unit]), name)
    : [{ name: `${name}.${format}`, chunks: writeShapeIn(shape, format, unit) }]

/**
 * @param unit of the numbers in the shape, told where a format can tell it
 * @throws SHAPE when the format needs triangles and there are none
 */
export function writeShape(shape: Shape, format: WriteFormat, unit: Unit = 'mm'): Iterable<Uint8Array<ArrayBuffer>> {
  switch (format) {
    case 'ply':
      return writePly(shape, unit)
    case 'obj':
      return writeObj(shape)
    case 'xyz':
      return writeXyz(shape)
    case 'glb':
      return [writeGlb(shape)]
    case 'stl':
      if (shape.kind !== 'mesh')
        throw new GeometryError(
          'SHAPE',
          'STL holds triangles, and this is a cloud of points. Write PLY or XYZ, or make a skin first.',
        )
      return writeStl(shape)
  }
}
