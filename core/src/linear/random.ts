/** A seeded source of random numbers: the same seed gives the same sequence on every machine. */
export interface Random {
  /** Uniform in [0, 1). */
  next(): number
  /** Standard normal, Box and Muller 1958. */
  gaussian(): number
  /** Whole number in [0, n). */
  integer(n: number): number
}

/**
 * sfc32 by Chris Doty-Humphrey (PractRand), state filled by splitmix32 from the seed.
 * @param seed any integer; taken modulo 2³².
 */
export function seededRandom(seed: number): Random {
  let s = seed >>> 0
  const split = (): number => {
    s = (s + 0x9e3779b9) | 0
    let t = s ^ (s >>> 16)
    t = Math.imul(t, 0x21f0aaad)
    t ^= t >>> 15
    t = Math.imul(t, 0x735a2d97)
    return (t ^ (t >>> 15)) >>> 0
  }
  let a = split()
  let b = split()
  let c = split()
  let d = 1
  const next = (): number => {
    const t = (((a + b) | 0) + d) | 0
    d = (d + 1) | 0
    a = b ^ (b >>> 9)
    b = (c + (c << 3)) | 0
    c = (c << 21) | (c >>> 11)
    c = (c + t) | 0
    return (t >>> 0) / 4294967296
  }
  for (let i = 0; i < 12; i++) next()
  let spare = NaN
  return {
    next,
    integer: (n) => Math.floor(next() * n),
    gaussian: () => {
      if (!Number.isNaN(spare)) {
        const value = spare
        spare = NaN
        return value
      }
      const radius = Math.sqrt(-2 * Math.log(1 - next()))
      const angle = 2 * Math.PI * next()
      spare = radius * Math.sin(angle)
      return radius * Math.cos(angle)
    },
  }
}
