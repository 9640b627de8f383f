import { dirname } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { NextConfig } from 'next'

const isolation = [
  { key: 'Cross-Origin-Opener-Policy', value: 'same-origin' },
  { key: 'Cross-Origin-Embedder-Policy', value: 'require-corp' },
  { key: 'Cross-Origin-Resource-Policy', value: 'same-origin' },
]

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  // The tests check types by themselves, once.
  typescript: { ignoreBuildErrors: process.env.HOLOSOMA_TYPES_CHECKED === '1' },
  transpilePackages: ['@holosoma/core', '@holosoma/engine'],
  serverExternalPackages: ['knex', 'mysql2', 'meshoptimizer', 'sharp', 'exifr'],
  turbopack: { root: dirname(dirname(fileURLToPath(import.meta.url))) },
  // Shared memory in workers needs an isolated page.
  headers: () => Promise.resolve([{ source: '/:path*', headers: isolation }]),
}

export default config
