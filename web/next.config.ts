import { dirname } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { NextConfig } from 'next'

const config: NextConfig = {
  reactStrictMode: true,
  poweredByHeader: false,
  devIndicators: false,
  // The tests check types by themselves, once.
  typescript: { ignoreBuildErrors: process.env.HOLOSOMA_TYPES_CHECKED === '1' },
  transpilePackages: ['@holosoma/core', '@holosoma/engine'],
  serverExternalPackages: ['knex', 'mysql2', 'manifold-3d', 'meshoptimizer', 'sharp', 'exifr'],
  turbopack: { root: dirname(dirname(fileURLToPath(import.meta.url))) },
}

export default config
