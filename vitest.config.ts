import { fileURLToPath } from 'node:url'
import { defineConfig } from 'vitest/config'

export default defineConfig({
  resolve: { alias: [{ find: /^@\//, replacement: fileURLToPath(new URL('./web/', import.meta.url)) }] },
  test: {
    include: [
      'core/src/**/*.test.ts',
      'engine/src/**/*.test.ts',
      'cli/src/**/*.test.ts',
      'web/**/*.test.ts',
      'scripts/**/*.test.ts',
    ],
    exclude: ['**/node_modules/**', '**/.next/**'],
    testTimeout: 300_000,
    hookTimeout: 300_000,
    provide: { night: process.env.HOLOSOMA_NIGHT === '1' },
    pool: 'forks',
    // One more than processors of a small machine: some tests wait for restarts and time-outs.
    maxWorkers: 3,
    // The core keeps nothing between calls: files share a worker, and the modules are read once.
    isolate: false,
  },
})
