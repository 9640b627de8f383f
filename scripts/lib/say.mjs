/** A failure with a sentence for the person and a way out; never a stack trace. */
export class Stop extends Error {}

export const say = (text) => process.stdout.write(`${text}\n`)

/** Runs main; a Stop prints its sentence and exits with 2, anything else with 1. */
export async function guarded(main) {
  try {
    await main()
  } catch (error) {
    if (error instanceof Stop) {
      process.stderr.write(`\n${error.message}\n`)
      process.exitCode = 2
    } else {
      process.stderr.write(`\nA fault in Holosoma's own start: ${error?.stack ?? error}\n`)
      process.exitCode = 1
    }
  }
}
