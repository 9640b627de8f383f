'use client'
import { joiResolver } from '@hookform/resolvers/joi'
import Link from 'next/link'
import { Tooltip } from 'radix-ui'
import { useRef, useState } from 'react'
import { useForm, type FieldPath } from 'react-hook-form'
import {
  deviceSchema,
  devicesFromJson,
  devicesToJson,
  HOLDS,
  LASER_CLASSES,
  TRACKING,
  type DeviceProfile,
  laserCaution,
} from '@holosoma/core/plan'
import { PLAIN_PRESET, UNITS, UPS, UNIT_WORDS } from '@holosoma/core/measure'
import type { StoredDevice } from '@holosoma/engine'
import { api } from '@/lib/api'
import { download } from '@/lib/sheets'
import { AcceptanceTests } from './acceptance'
import { confirmed, FormChoice, FormTick, FormTickOf, Plain, Primary, Questions } from './ui'

const ORIGIN = { shipped: 'ships with Holosoma, invented figures', changed: 'changed here', own: 'your own' } as const
const HOLD_WORDS = { table: 'with a turntable', tripod: 'on a tripod', hand: 'in the hand', arm: 'on an arm' } as const

/** Device profiles: look, change, add, hand on. */
export function DevicesPage({ initial }: { initial: readonly StoredDevice[] }) {
  const [devices, setDevices] = useState(initial)
  const [chosen, setChosen] = useState(initial[0].profile.id)
  const [error, setError] = useState<string | null>(null)
  const [note, setNote] = useState('')
  const file = useRef<HTMLInputElement>(null)
  const current = devices.find((d) => d.profile.id === chosen) ?? devices[0]
  const act = async (what: () => Promise<{ devices: StoredDevice[] }>, done: string): Promise<void> => {
    setError(null)
    setNote('')
    try {
      setDevices((await what()).devices)
      setNote(done)
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const copy = (): Promise<void> => {
    const taken = new Set(devices.map((d) => d.profile.id))
    let k = 1
    while (taken.has(`own-${k}`)) k++
    const next = { ...current.profile, id: `own-${k}`, name: `${current.profile.name}, mine`.slice(0, 80), version: 1 }
    return act(async () => {
      const r = await api.saveDevices([next])
      setChosen(next.id)
      return r
    }, 'Copied; the figures are yours to enter.')
  }
  const bringIn = (f: File): Promise<void> =>
    act(async () => {
      const list = devicesFromJson(await f.text())
      const r = await api.saveDevices(list)
      setChosen(list[0].id)
      return r
    }, 'Profiles brought in.')
  const remove = async (): Promise<void> => {
    const { profile, origin } = current
    const back = origin === 'changed'
    const sure = await confirmed({
      title: back ? `Put “${profile.name}” back as it shipped?` : `Take “${profile.name}” away?`,
      text: 'The figures entered here are gone then; a file saved before brings them back.',
      yes: back ? 'Put it back' : 'Take it away',
      no: 'Keep it',
    })
    if (sure)
      await act(
        () => api.removeDevice(profile.id) as Promise<{ devices: StoredDevice[] }>,
        back ? 'Back to the figures that ship.' : 'Taken away.',
      )
  }
  return (
    <Tooltip.Provider>
      <div className="flex h-screen flex-col">
        <header className="flex h-11 shrink-0 items-center gap-2 border-b border-hair px-4">
          <Link href="/" className="font-caption text-[17px] font-semibold text-verdigris">
            Holosoma
          </Link>
          <span className="text-hair">/</span>
          <h1 className="font-semibold">Devices</h1>
          <span className="flex-1" />
          <Plain onClick={() => file.current?.click()}>Bring in profiles…</Plain>
          <Plain
            onClick={() =>
              download(
                'holosoma-devices.json',
                new Blob([devicesToJson(devices.map((d) => d.profile))], { type: 'application/json' }),
              )
            }
          >
            Save all as a file
          </Plain>
          <input
            ref={file}
            type="file"
            accept=".json,application/json"
            hidden
            data-testid="device-file"
            onChange={(e) => {
              if (e.target.files?.[0]) void bringIn(e.target.files[0])
              e.target.value = ''
            }}
          />
        </header>
        <div className="grid min-h-0 flex-1 grid-cols-[340px_1fr]">
          <nav aria-label="Profiles" className="overflow-y-auto border-r border-hair p-4">
            <ul className="grid gap-1.5">
              {devices.map((d) => (
                <li key={d.profile.id}>
                  <button
                    type="button"
                    aria-pressed={d.profile.id === current.profile.id}
                    onClick={() => setChosen(d.profile.id)}
                    className={`w-full rounded-lg border bg-card px-3 py-2 text-left ${d.profile.id === current.profile.id ? 'border-ink' : 'border-hair hover:border-graphite'}`}
                  >
                    <b className="block font-semibold">{d.profile.name}</b>
                    <span className="text-[12.5px] text-graphite">
                      {d.profile.windowMm} mm window, {d.profile.spacingMm} mm; {ORIGIN[d.origin]}
                    </span>
                  </button>
                </li>
              ))}
            </ul>
            <Plain className="mt-3 w-full py-2" onClick={() => void copy()}>
              Copy “{current.profile.name}” as my own
            </Plain>
          </nav>
          <main className="overflow-y-auto px-8 py-5">
            {error && (
              <p role="alert" className="mb-3 rounded-md border border-madder/40 bg-blush px-3 py-2">
                {error}
              </p>
            )}
            <p role="status" className="min-h-5 text-[13px] text-graphite">
              {note}
            </p>
            <ProfileForm
              key={`${current.profile.id} ${current.profile.version} ${current.origin}`}
              stored={current}
              onSave={(d) => act(() => api.saveDevices([d]), 'Saved.')}
              onRemove={remove}
            />
            <AcceptanceTests key={current.profile.id} device={current.profile} />
          </main>
        </div>
      </div>
      <Questions />
    </Tooltip.Provider>
  )
}

const NUMBERS: readonly (readonly [FieldPath<DeviceProfile>, string, string])[] = [
  ['windowMm', 'Window at the stand-off', 'mm'],
  ['standOffMm', 'Stand-off', 'mm'],
  ['nearMm', 'Near end of the depth band', 'mm'],
  ['farMm', 'Far end of the depth band', 'mm'],
  ['spacingMm', 'Spacing at the stand-off', 'mm'],
  ['noiseMm', 'Noise at the stand-off', 'mm'],
  ['noiseGrowth', 'Noise grows with distance to the power', ''],
  ['accuracyMm', 'Accuracy', 'mm'],
  ['baselineMm', 'Projector to camera', 'mm'],
  ['maxIncidenceDeg', 'Flattest angle it sees', '°'],
  ['framesPerSecond', 'Frames a second', ''],
  ['dotsInView', 'Dots wanted in view', ''],
  ['exposureRange', 'Range of one exposure, 1 to', ''],
  ['pieceMinMm', 'Smallest piece', 'mm'],
  ['pieceMaxMm', 'Largest piece by itself', 'mm'],
  ['freeMaxMm', 'Largest piece at all', 'mm'],
  ['tableLoadG', 'Its table carries', 'g'],
  ['setUpMinutes', 'Warm-up and calibration', 'min'],
  ['pricePerHour', 'Price of an hour', ''],
]

function ProfileForm({
  stored,
  onSave,
  onRemove,
}: {
  stored: StoredDevice
  onSave: (d: DeviceProfile) => Promise<void>
  onRemove: () => Promise<void>
}) {
  const { control, register, handleSubmit, formState, watch } = useForm<DeviceProfile>({
    defaultValues: { ...stored.profile, files: stored.profile.files ?? PLAIN_PRESET } as DeviceProfile,
    resolver: joiResolver(deviceSchema, { convert: false, abortEarly: false }),
    mode: 'onChange',
  })
  const errors = formState.errors as Record<string, { message?: string } | undefined>
  // What is wrong with the figures taken together belongs to no one field.
  const values = watch()
  const whole = deviceSchema
    .validate(values, { convert: false })
    .error?.details.find((d) => d.path.length === 0)?.message
  const laser = laserCaution(values.laserClass)
  return (
    <form
      aria-label="Profile"
      className="max-w-[760px]"
      onSubmit={(e) => void handleSubmit((d) => onSave({ ...stored.profile, ...d }))(e)}
    >
      <div className="mb-3 flex items-baseline justify-between gap-4">
        <label className="grid flex-1 gap-0.5 text-[13px] text-graphite">
          Name
          <input
            className="h-9 rounded-md border border-hair bg-field px-2.5 font-caption text-[18px] text-ink"
            {...register('name')}
          />
        </label>
        <span className="figure text-[12.5px] text-graphite">
          {stored.profile.id} v{stored.profile.version}, {ORIGIN[stored.origin]}
        </span>
      </div>
      <div className="grid grid-cols-2 gap-x-8 gap-y-1.5">
        {NUMBERS.map(([name, label, unit]) => (
          <label key={name} className="grid text-[13px]">
            <span className="flex items-center justify-between gap-3">
              <span>{label}</span>
              <span className="flex items-center gap-1.5">
                <input
                  aria-invalid={!!errors[name]}
                  inputMode="decimal"
                  className={`figure h-8 w-24 rounded-md border bg-field px-2 text-right ${errors[name] ? 'border-madder' : 'border-hair'}`}
                  {...register(name, {
                    setValueAs: (v) => (typeof v === 'number' ? v : Number(String(v).replace(',', '.'))),
                  })}
                />
                <span className="w-7 text-graphite">{unit}</span>
              </span>
            </span>
            {errors[name]?.message && <span className="text-[12.5px] text-madder">{errors[name].message}</span>}
          </label>
        ))}
        <label className="flex items-center justify-between gap-3 text-[13px]">
          It is used
          <FormChoice control={control} name="hold" options={HOLDS.map((h) => [h, HOLD_WORDS[h]] as const)} />
        </label>
        <label className="flex items-center justify-between gap-3 text-[13px]">
          Laser class (IEC 60825-1)
          <FormChoice
            control={control}
            name="laserClass"
            options={LASER_CLASSES.map((c) => [c, c === 'none' ? 'no laser' : c] as const)}
          />
        </label>
        <label className="flex items-center justify-between gap-3 text-[13px]">
          Its files are in
          <FormChoice
            control={control}
            name="files.unit"
            options={UNITS.map((u) => [u, u === 'auto' ? 'not known' : UNIT_WORDS[u]] as const)}
          />
        </label>
        <label className="flex items-center justify-between gap-3 text-[13px]">
          Up in its files is
          <FormChoice control={control} name="files.up" options={UPS.map((u) => [u, u.toUpperCase()] as const)} />
        </label>
        <fieldset className="col-span-2 flex flex-wrap items-center gap-x-5 text-[13px]">
          <legend className="sr-only">Tracking</legend>
          <span>Tracks by</span>
          {TRACKING.map((t) => (
            <FormTickOf key={t} control={control} name="tracking" value={t}>
              {t}
            </FormTickOf>
          ))}
          <FormTick control={control} name="flickers">
            flickers
          </FormTick>
          <FormTick control={control} name="sunBlinds">
            sun blinds it
          </FormTick>
        </fieldset>
      </div>
      {whole && (
        <p role="alert" className="mt-2 text-[13px] text-madder">
          {whole}
        </p>
      )}
      {laser && (
        <p className="mt-2 text-[12.5px] text-graphite">{laser.text} Take the class from the device’s own label.</p>
      )}
      <div className="mt-4 flex gap-3">
        <Primary
          type="submit"
          className="!w-auto"
          disabled={!formState.isDirty || Object.keys(errors).length > 0 || !!whole}
        >
          Save this profile
        </Primary>
        {stored.origin !== 'shipped' && (
          <Plain className="px-4" onClick={() => void onRemove()}>
            {stored.origin === 'changed' ? 'Back to what ships' : 'Take it away'}
          </Plain>
        )}
      </div>
    </form>
  )
}
