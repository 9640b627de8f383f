'use client'
import { X } from 'lucide-react'
import { Dialog } from 'radix-ui'
import { useState } from 'react'
import type { PhotoRecord } from '@holosoma/engine'
import { missingRuns, PHOTO_INTERVAL_SECONDS, SLEEP_SECONDS } from '@holosoma/core/bench'
import { Choice, focusItself, Group, IconButton, Plain, Tick, Told } from '@/components/ui'
import { api } from '@/lib/api'
import { benchTakes } from '@/lib/bench'
import { useBenchDesk } from '@/lib/bench-desk'
import { clock } from '@/lib/format'
import { photosHere, photosOf } from '@/lib/photos'
import { chainOf } from '@/lib/chain'
import { attempt, useBusy, useDesk } from '@/lib/store'

const EVERY_DEG = [6, 10, 15, 20, 30, 36] as const

/**
 * Photos for colour: those of the take made ready at the bench, planned against there; and those that came as files.
 */
export function PhotosGroup() {
  const state = useDesk((d) => d.state)
  const selected = useDesk((d) => d.selectedTake)
  const chosen = useBenchDesk((b) => b.chosen)
  const busy = useBusy()
  const [everyDeg, setEveryDeg] = useState<number>(15)
  const [seconds, setSeconds] = useState<number>(PHOTO_INTERVAL_SECONDS)
  const [large, setLarge] = useState<PhotoRecord | null>(null)
  const takes = benchTakes(state)
  const bench = state.piece.benchPiece !== null
  const take = bench ? takes[Math.min(chosen, takes.length - 1)] : undefined
  const name = take?.name ?? state.takes.find((t) => t.id === selected)?.name ?? state.takes[0]?.name ?? ''
  const photos = photosOf(state.photos, name)
  const loose = state.photos.filter((p) => p.tableDeg === null && p.pose !== name)
  const perTurn = Math.round(360 / everyDeg)
  const here = photosHere(state.photos, name, perTurn)
  const turn = perTurn * seconds
  const last = chainOf(state, 'photos').at(-1)
  const shoot = (missingOnly: boolean): Promise<void> =>
    attempt(() =>
      api.takePhotos(state.piece.id, { take: name, perTurn, intervalSeconds: seconds, stops: 0, missingOnly }),
    )
  const runs = missingRuns(perTurn, here)
  if (!bench && state.photos.length === 0) return null
  return (
    <Group
      title={`Photos${name ? ` of “${name}”` : ''}: ${bench && here.size > 0 ? `${here.size} of ${perTurn}` : photos.length}`}
    >
      <div className="grid gap-2" data-testid="photos">
        {take && (
          <>
            <div className="flex flex-wrap items-center gap-x-4 gap-y-1.5 text-[13px]">
              <label className="flex items-center gap-1.5">
                One every
                <Choice
                  value={everyDeg}
                  options={EVERY_DEG.map((d) => [d, `${d}°`] as const)}
                  onChange={(v) => setEveryDeg(v)}
                  className="figure"
                />
              </label>
              <label className="flex items-center gap-1.5">
                each
                <Choice
                  value={seconds}
                  options={[3, 5, 8, 12].map((s) => [s, `${s} s`] as const)}
                  onChange={(v) => setSeconds(v)}
                  className="figure"
                />
              </label>
              <Tick
                checked={state.session.phoneAwake}
                onChange={(v) => attempt(() => api.benchEvent(state.piece.id, { kind: 'phone', keptAwake: v }))}
              >
                phone kept awake
              </Tick>
            </div>
            <p className="text-[12.5px] text-graphite">
              {perTurn} photos in {clock(turn)}
              {!state.session.phoneAwake && turn > SLEEP_SECONDS
                ? `; left alone the phone sleeps after ${clock(SLEEP_SECONDS)}`
                : ''}
              .{state.session.coats > 0 ? ' The piece is coated: photos would show the coat.' : ''}
            </p>
          </>
        )}
        {here.size > 0 && runs.length > 0 && (
          <Told verdict="unsound">
            {`${perTurn - here.size} of ${perTurn} photos are missing: ` +
              `${runs.map((r) => (r.count === 1 ? `at ${r.fromDeg}°` : `${r.fromDeg}° to ${r.toDeg}°`)).join(', ')}.`}
          </Told>
        )}
        {here.size > 0 && runs.length === 0 && (
          <Told verdict="sound">{`All ${perTurn} photos of “${name}” are there.`}</Told>
        )}
        {here.size === 0 &&
          last &&
          last.operation === 'photos.import' &&
          last.findings.map((f) => (
            <Told key={f.id} verdict={f.verdict}>
              {f.text}
            </Told>
          ))}
        {take && (
          <div className="grid grid-cols-2 gap-2">
            <Plain disabled={busy} className="py-2" onClick={() => shoot(false)}>
              {here.size > 0 ? 'Take them all again' : `Take ${perTurn} photos`}
            </Plain>
            <Plain
              disabled={busy || here.size === 0 || runs.length === 0}
              className="py-2 font-medium"
              onClick={() => shoot(true)}
            >
              Take the missing {perTurn - here.size}
            </Plain>
          </div>
        )}
        {photos.length + loose.length > 0 && (
          <ul className="grid grid-cols-5 gap-1.5">
            {[...photos, ...loose].map((p) => (
              <li key={p.id}>
                <button
                  type="button"
                  onClick={() => setLarge(p)}
                  aria-label={`Photo ${p.name}`}
                  className="block w-full overflow-hidden rounded border border-hair hover:border-graphite"
                >
                  <img
                    src={`/api/photos/${p.id}?side=128`}
                    alt=""
                    loading="lazy"
                    className="aspect-[4/3] w-full object-cover"
                  />
                </button>
                <span className="figure block truncate text-center text-[12px] text-graphite">
                  {p.tableDeg === null ? p.name : `${p.tableDeg.toFixed(0)}°`}
                </span>
              </li>
            ))}
          </ul>
        )}
      </div>
      {large && <Large photo={large} onClose={() => setLarge(null)} />}
    </Group>
  )
}

function Large({ photo, onClose }: { photo: PhotoRecord; onClose: () => void }) {
  const { camera: c } = photo
  const facts = [
    c.model,
    c.focalMm === null
      ? 'lens not written down'
      : `${Number(c.focalMm.toFixed(2))} ` +
        `mm${c.focal35Mm === null ? '' : ` (as ${c.focal35Mm.toFixed(0)} mm on 36 × 24)`}`,
    c.fNumber === null ? null : `f/${c.fNumber}`,
    c.exposureSeconds === null
      ? null
      : c.exposureSeconds < 1
        ? `1/${Math.round(1 / c.exposureSeconds)} s`
        : `${c.exposureSeconds} s`,
    c.takenAt?.slice(0, 19).replace('T', ' '),
  ].filter((f): f is string => typeof f === 'string' && f !== '')
  return (
    <Dialog.Root open onOpenChange={onClose}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ink/25" />
        <Dialog.Content
          aria-describedby={undefined}
          onOpenAutoFocus={focusItself}
          className="fixed top-1/2 left-1/2 z-50 w-[min(860px,92vw)] -translate-x-1/2 -translate-y-1/2 rounded-xl border border-hair bg-card p-5 shadow-xl"
        >
          <div className="mb-2 flex items-center justify-between gap-3">
            <Dialog.Title className="font-caption text-[19px] font-semibold">{photo.name}</Dialog.Title>
            <Dialog.Close asChild>
              <IconButton name="Close">
                <X size={17} />
              </IconButton>
            </Dialog.Close>
          </div>
          <img
            src={`/api/photos/${photo.id}?side=1024`}
            alt={
              photo.tableDeg === null ? photo.name : `The piece with the table at ${photo.tableDeg.toFixed(0)} degrees`
            }
            className="mx-auto max-h-[68vh] rounded-md border border-hair"
          />
          <p className="figure mt-2 text-[13px] text-graphite">
            {photo.width} × {photo.height}, {(photo.bytes / 1024).toFixed(0)} KiB
            {facts.length > 0 ? `; ${facts.join(', ')}` : ''}
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
