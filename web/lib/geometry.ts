'use client'
import { wrap, type Remote } from 'comlink'
import type { GeometryWorker } from '@/workers/geometry.worker'

const pool: Remote<GeometryWorker>[] = []
const homes = new Map<string, number>()

let make = (): Remote<GeometryWorker> =>
  wrap<GeometryWorker>(new Worker(new URL('../workers/geometry.worker.ts', import.meta.url), { type: 'module' }))
let size = (): number => Math.max(1, Math.min(4, navigator.hardwareConcurrency || 2))

/** So many workers of another make; tests of what is asked of them put their own in place. */
export function makeWorkersBy(maker: typeof make, workers: number): void {
  make = maker
  size = () => workers
  pool.length = 0
  homes.clear()
}

const worker = (i: number): Remote<GeometryWorker> => (pool[i] ??= make())

/**
 * The page's own computing, off the main thread; workers are made when first wanted. A shape is kept by one worker, so
 * that work on several goes on side by side and nothing is loaded twice.
 */
export function geometry(hash = ''): Remote<GeometryWorker> {
  return worker(homeOf(hash))
}

function homeOf(hash: string): number {
  let home = homes.get(hash)
  if (home === undefined) homes.set(hash, (home = hash === '' ? 0 : homes.size % size()))
  return home
}

/** Puts what belongs to the same worker together. */
export function byWorker<T extends { readonly hash: string }>(
  items: readonly T[],
): { worker: Remote<GeometryWorker>; items: T[] }[] {
  const groups = new Map<number, T[]>()
  for (const item of items) {
    const home = homeOf(item.hash)
    const list = groups.get(home)
    if (list) list.push(item)
    else groups.set(home, [item])
  }
  return [...groups].map(([home, list]) => ({ worker: worker(home), items: list }))
}
