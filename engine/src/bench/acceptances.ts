import { GeometryError } from '@holosoma/core'
import { acceptanceTest, type Acceptance } from '@holosoma/core/bench'
import type { Database } from '../store/database'
import { listDevices } from './devices'
import { parseJson } from '../store/json'

export interface StoredAcceptance {
  readonly id: number
  readonly deviceVersion: number
  /** Temperature since calibration, K. */
  readonly warmK: number
  readonly at: string
  readonly result: Acceptance
}

interface Row {
  id: number
  device_version: number
  warm_k: number
  result: string
  created_at: Date
}

const MAX = 60

/** The last tests of a device, oldest first: their trend. */
export async function listAcceptances(db: Database, deviceId: string): Promise<StoredAcceptance[]> {
  const rows = (await db('acceptances').where({ device_id: deviceId }).orderBy('id', 'desc').limit(MAX)) as Row[]
  return rows.reverse().map((r) => ({
    id: r.id,
    deviceVersion: r.device_version,
    warmK: r.warm_k,
    at: new Date(r.created_at).toISOString(),
    result: parseJson<Acceptance>(r.result as never),
  }))
}

/** Tests the simulated device and keeps the result. @throws PARAMS when there is no such device */
export async function testDevice(db: Database, deviceId: string, warmK: number): Promise<StoredAcceptance[]> {
  const device = (await listDevices(db)).find((d) => d.profile.id === deviceId)?.profile
  if (!device) throw new GeometryError('PARAMS', 'There is no such device profile.')
  const [{ n }] = (await db('acceptances').where({ device_id: deviceId }).count({ n: '*' })) as [{ n: number }]
  // Each test sees other noise; which follows from how many there were.
  const result = acceptanceTest(device, warmK, 1 + Number(n))
  await db('acceptances').insert({
    device_id: deviceId,
    device_version: device.version,
    warm_k: warmK,
    result: JSON.stringify(result),
  })
  return listAcceptances(db, deviceId)
}
