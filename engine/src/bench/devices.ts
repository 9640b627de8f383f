import { GeometryError } from '@holosoma/core'
import { checkDevice, type DeviceProfile, DEVICE_CLASSES } from '@holosoma/core/plan'
import { noteAct } from '../ledger/acts'
import { transact, type Database } from '../store/database'
import { parseJson } from '../store/json'

export interface StoredDevice {
  readonly profile: DeviceProfile
  /** A profile that ships, one that was changed here, or one's own. */
  readonly origin: 'shipped' | 'changed' | 'own'
}

const shipped = (id: string): boolean => DEVICE_CLASSES.some((d) => d.id === id)

/** The profiles that ship, in their order, as they were changed here; then one's own by name. */
export async function listDevices(db: Database): Promise<StoredDevice[]> {
  const rows = (await db('devices').select('id', 'profile')) as { id: string; profile: string }[]
  const own = new Map(rows.map((r) => [r.id, parseJson(r.profile as never) as DeviceProfile]))
  const out: StoredDevice[] = DEVICE_CLASSES.map((d) =>
    own.has(d.id) ? { profile: own.get(d.id)!, origin: 'changed' } : { profile: d, origin: 'shipped' },
  )
  const mine = [...own.values()].filter((d) => !shipped(d.id)).sort((a, b) => a.name.localeCompare(b.name, 'en'))
  return [...out, ...mine.map((profile): StoredDevice => ({ profile, origin: 'own' }))]
}

/** Saves profiles; each one's version becomes one more than what was here. @throws PARAMS naming what is wrong */
export async function saveDevices(db: Database, values: readonly unknown[]): Promise<DeviceProfile[]> {
  const devices = values.map(checkDevice)
  return transact(db, async (trx) => {
    const out: DeviceProfile[] = []
    for (const device of devices) {
      const row = (await trx('devices').where({ id: device.id }).first('profile').forUpdate()) as
        { profile: string } | undefined
      const before = row
        ? (parseJson(row.profile as never) as DeviceProfile)
        : DEVICE_CLASSES.find((d) => d.id === device.id)
      const saved = { ...device, version: before ? before.version + 1 : device.version }
      await trx('devices')
        .insert({ id: device.id, profile: JSON.stringify(saved), updated_at: trx.fn.now(3) })
        .onConflict('id')
        .merge()
      await noteAct(trx, null, 'device', `Changed the profile “${saved.name}” to version ${saved.version}`)
      out.push(saved)
    }
    return out
  })
}

/**
 * Takes one's own profile away; a changed one goes back to what ships.
 * @throws PARAMS when there is nothing to take away
 */
export async function removeDevice(db: Database, id: string): Promise<void> {
  const gone = await db('devices').where({ id }).delete()
  if (gone > 0) await noteAct(db, null, 'device', `Took the profile “${id}” away`)
  if (gone === 0)
    throw new GeometryError(
      'PARAMS',
      shipped(id) ? 'A profile that ships can’t be taken away; it is as it came.' : 'There is no such device profile.',
    )
}
