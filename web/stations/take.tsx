'use client'
import { FolderInput } from 'lucide-react'
import { Findings } from '@/components/finding'
import { Plain, Primary } from '@/components/ui'
import { chainOf } from '@/lib/stations'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'

const BENCH_TAKES = [{ take: 'upright', pose: 'upright' }, { take: 'side', pose: 'on its side' }] as const

/** The piece is on the bench: the simulated bench, or files. */
export function TakePanel({ onChooseFiles }: { onChooseFiles: () => void }) {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const waiting = useBusy()
  const missing = BENCH_TAKES.filter((b) => !state.takes.some((t) => t.name === b.take))
  const simulate = (wanted: readonly (typeof BENCH_TAKES)[number][]): Promise<void> => attempt(async () => {
    await submit(...wanted.map(({ take, pose }) => ({ operation: 'take.simulate', params: { take, seed: 1 }, takeName: take, pose })))
  })
  const done = state.takes.filter((t) => t.shape)
  const meshTake = done.find((t) => t.shape!.kind === 'mesh')
  const bench = state.piece.benchPiece !== null
  const allMesh = done.length > 0 && done.every((t) => t.shape!.kind === 'mesh')
  const onlyMesh = allMesh && done.length === 1 ? meshTake : undefined
  const adopt = (): Promise<void> => attempt(async () => {
    await submit({ operation: 'skin.adopt', takeId: meshTake!.id })
    set({ station: 'mend' })
  })
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">What has been taken?</h2>
      {done.length === 0 && !waiting && (
        <p className="font-caption text-[16px]">{bench ? 'The lamp stands ready on the simulated bench. Two takes go round it: upright, then on its side.' : 'Nothing yet. Drop scan files anywhere on this page, or choose them.'}</p>
      )}
      {waiting && <p className="font-caption text-[16px]">A take is on its way; each is saved the moment it ends.</p>}
      {done.length > 0 && <Findings findings={done.flatMap((t) => chainOf(state, `take:${t.id}`)[0]?.findings ?? []).slice(0, 3)} />}
      <div className="mt-3 grid gap-2">
        {bench && missing.length > 0 && !waiting && <Primary onClick={() => simulate(missing)}>{missing.length === 2 ? 'Take both at the simulated bench' : `Take “${missing[0]!.take}” at the simulated bench`}</Primary>}
        {done.length > 0 && missing.length === 0 && bench && <Primary onClick={() => set({ station: 'tidy' })}>Go on to Tidy</Primary>}
        {onlyMesh && <Primary onClick={adopt}>Use the mesh “{onlyMesh.name}” as the skin</Primary>}
        {done.length > 0 && !bench && !onlyMesh && <Primary onClick={() => set({ station: allMesh ? 'join' : 'tidy' })}>Go on to {allMesh ? 'Join' : 'Tidy'}</Primary>}
        <Plain className="flex items-center justify-center gap-2 py-2" onClick={onChooseFiles}><FolderInput size={16} aria-hidden="true" /> Choose scan files…</Plain>
        {meshTake && !onlyMesh && <Plain className="py-2" onClick={adopt}>Use the mesh “{meshTake.name}” as the skin</Plain>}
      </div>
      <p className="mt-3 text-[13px] text-graphite">PLY, STL, OBJ and XYZ text (also .txt, .csv, .asc, .pts). Several at once are several takes. The files stay as they came; nothing is ever written over them.</p>
      {bench && <p className="mt-2 text-[13px] text-graphite"><b className="font-semibold text-ink">At a real bench</b>: projectors flicker, a warning for photosensitive people; never scan open eyes with bright or laser devices; turn an original over only with the owner’s permission. Follow the device’s sheet, local rules and qualified people.</p>}
    </>
  )
}
