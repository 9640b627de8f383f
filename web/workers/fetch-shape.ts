import { readGlb, type Shape } from '@holosoma/core'

/* Shapes by their hash, kept in the worker that asked for them. */

/** Points kept ready in this worker; a take of a million is about 30 MB. */
const KEPT_POINTS = 20_000_000
const full = new Map<string, Promise<Shape>>()
const previews = new Map<string, Promise<Shape>>()

export async function fetchShape(hash: string, as: 'whole' | 'preview'): Promise<Shape> {
  const cache = as === 'whole' ? full : previews
  let shape = cache.get(hash)
  if (!shape) {
    shape = fetch(`/api/shapes/${hash}${as === 'preview' ? '?as=preview' : ''}`).then(async (r) => {
      if (!r.ok) throw new Error('The shape could not be loaded.')
      return readGlb(new Uint8Array(await r.arrayBuffer()))
    })
    shape.catch(() => cache.delete(hash))
    cache.set(hash, shape)
    void trim(cache)
  } else {
    // The one asked for last is let go last.
    cache.delete(hash)
    cache.set(hash, shape)
  }
  return shape
}

async function trim(cache: Map<string, Promise<Shape>>): Promise<void> {
  const sizes = await Promise.all(
    [...cache].map(
      async ([hash, s]) =>
        [
          hash,
          await s.then(
            (x) => x.positions.length / 3,
            () => 0,
          ),
        ] as const,
    ),
  )
  let total = sizes.reduce((n, [, points]) => n + points, 0)
  for (const [hash, points] of sizes) {
    if (total <= KEPT_POINTS || cache.size <= 1) return
    cache.delete(hash)
    total -= points
  }
}
