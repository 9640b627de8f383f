/** The rough form of a piece nobody has taken yet. */
export interface StandInSketch {
  readonly form: 'box' | 'cylinder' | 'ellipsoid'
  /** Length, width, height, mm. */
  readonly size: readonly [number, number, number]
}

const POINTS = 2600
const GOLDEN = Math.PI * (3 - Math.sqrt(5))

/** Half the larger extent, in the whole numbers of thumbnails; room is left for the words below. */
export const SKETCH_REACH = 12_500

/** Points and normals of the form as thumbnails keep them: normals over ± 127. */
export function sketchOf({ form, size }: StandInSketch): { positions: Int16Array; normals: Int8Array } {
  const half = size.map((v) => (SKETCH_REACH * v) / Math.max(...size))
  const positions = new Int16Array(POINTS * 3)
  const normals = new Int8Array(POINTS * 3)
  for (let i = 0; i < POINTS; i++) {
    const z = 1 - (2 * i + 1) / POINTS
    const r = Math.sqrt(1 - z * z)
    const on = [r * Math.cos(i * GOLDEN), r * Math.sin(i * GOLDEN), z]
    const [at, n] = FORMS[form](on)
    for (let c = 0; c < 3; c++) {
      positions[i * 3 + c] = at[c] * half[c]
      normals[i * 3 + c] = n[c] * 127
    }
  }
  return { positions, normals }
}

type Place = readonly [at: readonly number[], normal: readonly number[]]

/** A direction from the middle to a place on each form of size ± 1. */
const FORMS: Readonly<Record<StandInSketch['form'], (on: readonly number[]) => Place>> = {
  ellipsoid: (on) => [on, on],
  box: (on) => {
    const most = Math.max(...on.map(Math.abs))
    return [on.map((v) => v / most), on.map((v) => (Math.abs(v) === most ? Math.sign(v) : 0))]
  },
  cylinder: ([x, y, z]) => {
    const across = Math.hypot(x, y)
    const most = Math.max(across, Math.abs(z))
    const side = across >= Math.abs(z)
    return [[x / most, y / most, z / most], side ? [x / across, y / across, 0] : [0, 0, Math.sign(z)]]
  },
}
