import { test } from 'vitest'

/** A test that a change need not wait for: `npm test` leaves it out, `npm run test:all` runs it. */
export const nightTest: typeof test = process.env.HOLOSOMA_NIGHT === '1' ? test : (test.skip as unknown as typeof test)
