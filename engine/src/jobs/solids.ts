import { solidsWith } from '@holosoma/core'

/** The library comes only where bodies are united. */
export const solids = solidsWith(async () => (await import('manifold-3d')).default())
