'use client'
import { Choice } from '@/components/ui'
import { PLAIN_PRESET, UNITS, UPS, type ImportPreset, UNIT_WORDS } from '@holosoma/core/measure'
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
        <Choice
          value={preset.unit}
          options={UNITS.map((u) => [u, u === 'auto' ? 'mm, or as they look' : UNIT_WORDS[u]] as const)}
          onChange={(v) => change({ unit: v })}
        />
      </label>
      <label className="flex items-center gap-1.5">
        up is
        <Choice
          value={preset.up}
          options={UPS.map((u) => [u, u.toUpperCase()] as const)}
          onChange={(v) => change({ up: v })}
        />
      </label>
    </div>
  )
}
