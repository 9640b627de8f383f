'use client'
import { wrap, type Remote } from 'comlink'
import type { GeometryWorker } from '@/workers/geometry.worker'

let remote: Remote<GeometryWorker> | undefined

/** The page's own computing, off the main thread; made when first wanted. */
export function geometry(): Remote<GeometryWorker> {
  remote ??= wrap<GeometryWorker>(new Worker(new URL('../workers/geometry.worker.ts', import.meta.url), { type: 'module' }))
  return remote
}
