import { NO_COLOUR } from '../shapes'

/** Texels round each chart that its colour goes on over, so that none mixes with what lies between. */
const MARGIN = 2

/** Lets every chart's colour go on over its edge, and greys what is left, in place. 0, 0, 0 is a texel without colour. */
export function widenCharts(sheet: Uint8Array, side: number): void {
  for (let round = 0; round < MARGIN; round++) {
    // Rows as they were before this round.
    let above = new Uint8Array(side * 3),
      here = sheet.slice(0, side * 3)
    for (let y = 0; y < side; y++) {
      const below = y + 1 < side ? sheet.slice((y + 1) * side * 3, (y + 2) * side * 3) : new Uint8Array(side * 3)
      for (let x = 0; x < side; x++) {
        const o = x * 3
        if (here[o] | here[o + 1] | here[o + 2]) continue
        let n = 0,
          r = 0,
          g = 0,
          b = 0
        for (let k = Math.max(0, x - 1), end = Math.min(side - 1, x + 1); k <= end; k++)
          for (const row of [above, here, below]) {
            const i = k * 3
            if (!(row[i] | row[i + 1] | row[i + 2])) continue
            n++
            r += row[i]
            g += row[i + 1]
            b += row[i + 2]
          }
        if (n === 0) continue
        const to = (y * side + x) * 3
        sheet[to] = r / n
        sheet[to + 1] = g / n
        sheet[to + 2] = Math.max(1, b / n)
      }
      above = here
      here = below
    }
  }
  for (let i = 0; i < sheet.length; i += 3)
    if (!(sheet[i] | sheet[i + 1] | sheet[i + 2])) sheet[i] = sheet[i + 1] = sheet[i + 2] = NO_COLOUR
}
