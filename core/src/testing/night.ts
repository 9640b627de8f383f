import { inject, test } from 'vitest'

declare module 'vitest' {
  interface ProvidedContext {
    /** Whether the long tests are wanted, too. */
    readonly night: boolean
  }
}

/** A test that a change need not wait for: `npm test` leaves it out, `npm run test:all` runs it. */
export const nightTest: typeof test = inject('night') ? test : (test.skip as unknown as typeof test)
