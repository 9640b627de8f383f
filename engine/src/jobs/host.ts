import { freemem } from 'node:os'
import {
  quietContext,
  sampleTextured,
  samplingSpacing,
  type PointCloud,
  type RunContext,
  type Shape,
} from '@holosoma/core'
import type { Database } from '../store/database'
import { decodePicture, encodePicture } from '../foreign/decode-picture'
import { solids } from './solids'
import { ForeignReader } from '../foreign/foreign-reader'
import { secondsPerUnit, type NewStep } from '../ledger/ledger'

/* What a job is given by the process that runs it, and what it gives back. */

export type StepDraft = Omit<NewStep, 'durationMs' | 'track' | 'who'>

const SEED = 1
/** Of the free memory, what a computation may take. */
export const MEMORY_SHARE = 0.7
/** Before an operation has run here for the first time. */
const USUAL_SECONDS_PER_UNIT = 1

/** What a host gives the job it runs. */
export type Host = Pick<RunContext, 'progress' | 'cancelled' | 'endEarly' | 'parallel'> & {
  expected?(seconds: number): void
  /** Hears of the process that reads foreign files for the job: its number, 0 when it has ended. */
  reader?(pid: number): void
}

/** A reading process that this job ends when it is cancelled. */
export const readerOf = (context: RunContext, host: Host): ForeignReader =>
  new ForeignReader({ cancelled: context.cancelled, ...(host.reader && { started: host.reader }) })

/** What operations are handed of the host. */
export const contextOf = ({ expected: _told, reader: _reader, ...host }: Host): RunContext => ({
  ...quietContext(SEED),
  memoryBytes: freemem() * MEMORY_SHARE,
  decodePicture,
  encodePicture,
  solids,
  ...host,
})

/** Tells the host how long so much work should take here, as far as it is known. */
export const tellExpected = async (
  db: Database,
  operation: string,
  work: number,
  expected: Host['expected'],
): Promise<void> => expected?.(work * ((await secondsPerUnit(db, operation)) ?? USUAL_SECONDS_PER_UNIT))

/** A shape as points: those of a mesh are spread over its surface, as fine as loses nothing of it. */
export async function asCloud(shape: Shape): Promise<PointCloud> {
  return shape.kind === 'mesh' ? sampleTextured(shape, samplingSpacing(shape), decodePicture) : shape
}
