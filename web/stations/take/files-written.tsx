'use client'
import { PLAIN_PRESET, UNITS, UPS, type ImportPreset } from '@holosoma/core/measure/preset'
import { UNIT_WORDS } from '@holosoma/core/measure/scale'
import { benchDevice } from '@/lib/bench'
import { useDesk } from '@/lib/store'

/** How the files that come next were written; begins with what the device's profile says. */
export function FilesWritten() {
  const device = useDesk((d) => benchDevice(d.state))
  const preset = useDesk((d) => d.preset) ?? device.files ?? PLAIN_PRESET
  const set = useDesk((d) => d.set)
  const change = (part: Partial<ImportPreset>): void => set({ preset: { ...preset, ...part } })
  return (
    <div className="mt-3 flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px]" data-testid="files-written">
      <label className="flex items-center gap-1.5">
        Files in
        <select
          value={preset.unit}
          onChange={(e) => change({ unit: e.target.value as ImportPreset['unit'] })}
          className="h-8 rounded-md border border-hair bg-white px-1.5"
        >
          {UNITS.map((u) => (
            <option key={u} value={u}>
              {u === 'auto' ? 'mm, or as they look' : UNIT_WORDS[u]}
            </option>
          ))}
        </select>
      </label>
      <label className="flex items-center gap-1.5">
        up is
        <select
          value={preset.up}
          onChange={(e) => change({ up: e.target.value as ImportPreset['up'] })}
          className="h-8 rounded-md border border-hair bg-white px-1.5"
        >
          {UPS.map((u) => (
            <option key={u} value={u}>
              {u.toUpperCase()}
            </option>
          ))}
        </select>
      </label>
    </div>
  )
}
