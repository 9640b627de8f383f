/* A half-edge is numbered 3·face + corner and runs from that corner to the next one of its face. */

/** The next half-edge of the face. */
export const nextHalf = (h: number): number => (h % 3 === 2 ? h - 2 : h + 1)
/** The one before it. */
export const previousHalf = (h: number): number => (h % 3 === 0 ? h + 2 : h - 1)
/** The two ends of an edge as one name, whichever way it runs. */
export const edgeName = (a: number, b: number): string => (a < b ? `${a} ${b}` : `${b} ${a}`)
