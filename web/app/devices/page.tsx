import { listDevices, openDatabase } from '@holosoma/engine'
import { DevicesPage } from '@/components/devices-page'

export const dynamic = 'force-dynamic'

export default async function Page() {
  return <DevicesPage initial={await listDevices(openDatabase())} />
}
