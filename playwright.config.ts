import { defineConfig } from '@playwright/test'

// One house with its own database for each worker; a started application can be given instead.
const houses = (process.env.HOLOSOMA_ADDRESSES ?? process.env.HOLOSOMA_ADDRESS ?? 'http://127.0.0.1:3000').split(' ')

export default defineConfig({
  testDir: 'e2e',
  // Wide bounds: shared machines may run at a third of their speed; nothing is asserted about time.
  timeout: 900_000,
  expect: { timeout: 120_000 },
  fullyParallel: false,
  // In one house one after the other: the demo's pieces are shared, and what one test writes another counts.
  workers: houses.length,
  retries: 0,
  // What a change need not wait for: `npm run test:all` runs it.
  ...(process.env.HOLOSOMA_NIGHT !== '1' && { grepInvert: /@night/ }),
  reporter: [['list']],
  use: {
    baseURL: houses[Number(process.env.TEST_PARALLEL_INDEX ?? 0) % houses.length],
    viewport: { width: 1280, height: 800 },
    screenshot: 'only-on-failure',
    launchOptions: {
      executablePath: process.env.HOLOSOMA_CHROMIUM ?? '/usr/bin/chromium',
      args: [
        '--no-sandbox',
        '--disable-gpu',
        '--disable-quic',
        '--no-first-run',
        '--disable-background-networking',
        '--disable-component-update',
        '--disable-sync',
        '--use-angle=swiftshader',
        '--enable-unsafe-swiftshader',
      ],
    },
  },
})
