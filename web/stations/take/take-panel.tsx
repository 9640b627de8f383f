'use client'
import { areaText } from '@holosoma/core/findings'
import { detailsOf } from '@holosoma/core/operations'
import { FileInput, FolderInput } from 'lucide-react'
import { Findings } from '@/components/finding'
import { Plain, Primary } from '@/components/ui'
import { api } from '@/lib/api'
import { benchTakes } from '@/lib/bench'
import { onlyMeshOf } from '@/lib/chain'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import { judge } from '../road'
import { BenchEngine, BenchGroup, makeTake } from './bench-group'
import { FilesWritten } from './files-written'
import { FramesGroup } from './frames-group'
import { PhotosGroup } from './photos-group'
import { PlannedSlots } from './planned-slots'
import { SessionGroup } from './session-group'

/** The piece is on the bench: takes from the simulated bench or from files, and whether anything is missing. */
export function TakePanel({
  sending,
  onChooseFiles,
  onChooseFolder,
}: {
  sending: readonly [done: number, of: number] | null
  onChooseFiles: () => void
  onChooseFolder: () => void
}) {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const waiting = useBusy()
  const bench = state.piece.benchPiece !== null
  const done = state.takes.filter((t) => t.shape)
  const missing = bench ? benchTakes(state).filter((b) => !state.takes.some((t) => t.name === b.name)) : []
  const planned = bench
    ? missing
    : (state.plan?.content.takes ?? []).filter((b) => !state.takes.some((t) => t.name === b.name))
  const meshTake = done.find((t) => t.shape!.kind === 'mesh')
  const allMesh = done.length > 0 && done.every((t) => t.shape!.kind === 'mesh')
  const onlyMesh = onlyMeshOf(state)
  const check = state.check && !state.check.stale ? state.check.step : null
  const proposal = detailsOf(check, 'take.complete')?.proposal ?? null
  const missed = check !== null && check.findings[0]?.verdict !== 'sound'
  const adopt = (): Promise<void> =>
    attempt(async () => {
      await submit({ operation: 'skin.adopt', takeId: meshTake!.id })
      set({ station: 'mend' })
    })
  const ask = (): Promise<void> =>
    attempt(async () => {
      set({ view: 'missing' })
      await submit({ operation: 'take.complete' })
    })
  const takeAll = (): Promise<void> =>
    attempt(async () => {
      for (const take of missing) await makeTake(take)
    })
  const { findings, verdict } = judge(state, 'take')
  const on = allMesh ? ('join' as const) : ('tidy' as const)
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">
        {done.length > 0 && !onlyMesh ? 'Have I got everything?' : 'What has been taken?'}
      </h2>
      {done.length === 0 && !waiting && (
        <p className="font-caption text-[16px]">
          {bench
            ? 'The piece stands ready on the simulated bench. ' +
              `${missing.length === 1 ? 'One take is planned' : `${missing.length} takes are planned`}: ` +
              `${missing.map((t) => t.name).join(', ')}.`
            : 'Nothing yet. Drop scan files anywhere on this page, or choose them.'}
        </p>
      )}
      {waiting && (
        <p className="font-caption text-[16px]">
          {state.jobs.some((j) => j.track === 'check' && (j.state === 'queued' || j.state === 'running'))
            ? 'Looking for what is missing…'
            : 'A take is on its way; each is saved the moment it ends.'}
        </p>
      )}
      {done.length > 0 && !check && !onlyMesh && !waiting && (
        <p className="mb-2 font-caption text-[16px] leading-[1.42]" data-testid="not-looked">
          {state.check
            ? 'Takes came after the last look; nobody has looked since whether anything is missing.'
            : 'Nobody has looked yet whether anything is missing.'}
          {planned.length > 0 && ` Still to come by the plan: ${planned.map((t) => `“${t.name}”`).join(', ')}.`}
        </p>
      )}
      {findings.length > 0 &&
        (verdict !== null ? (
          <Findings findings={findings} />
        ) : (
          <ul className="grid gap-1 text-[13.5px]" aria-label="What came" data-testid="came">
            {findings.map((f, i) => (
              <li key={`${f.id}${i}`}>{f.text}</li>
            ))}
          </ul>
        ))}
      <div className="mt-3 grid gap-2">
        {bench && missing.length > 0 && !waiting && (
          <Primary onClick={takeAll}>
            {missing.length === 1
              ? `Take “${missing[0].name}” at the simulated bench`
              : `Take ${missing.length === 2 ? 'both' : `all ${missing.length}`} at the simulated bench`}
          </Primary>
        )}
        {done.length > 0 && missing.length === 0 && !waiting && bench && missed && proposal && (
          <Primary onClick={() => attempt(() => makeTake(proposal.take))}>
            Take “{proposal.take.name}”: gains {areaText(proposal.gainMm2)}
          </Primary>
        )}
        {done.length > 0 && missing.length === 0 && bench && !(missed && proposal) && (
          <Primary disabled={waiting} onClick={() => set({ station: 'tidy' })}>
            Go on to Tidy
          </Primary>
        )}
        {!bench && state.plan && <PlannedSlots />}
        {onlyMesh && <Primary onClick={adopt}>Use the mesh “{onlyMesh.name}” as the skin</Primary>}
        {done.length > 0 && !bench && !onlyMesh && (
          <Primary onClick={() => set({ station: on })}>Go on to {allMesh ? 'Join' : 'Tidy'}</Primary>
        )}
        {done.length > 0 && !allMesh && (
          <Plain className="py-2" disabled={waiting} onClick={ask}>
            {state.check ? 'Look again for what is missing' : 'Look for what is missing'}
          </Plain>
        )}
        {done.length > 1 && !allMesh && missing.length === 0 && !state.mesh && (
          <Plain
            className="py-2"
            disabled={waiting}
            title="Tidies each take, joins them, makes the skin and checks it; stops at the first finding that is not sound"
            onClick={() => attempt(() => api.goAllTheWay(state.piece.id))}
          >
            Go all the way by itself
          </Plain>
        )}
        {missed && proposal && missing.length === 0 && bench && (
          <Plain className="py-2" disabled={waiting} onClick={() => set({ station: 'tidy' })}>
            Leave it, and go on to Tidy
          </Plain>
        )}
        {sending && (
          <p role="status" className="figure text-[13px] text-graphite">
            Sending files: {sending[0]} of {sending[1]}
          </p>
        )}
        <div className="grid grid-cols-2 gap-2">
          <Plain className="flex items-center justify-center gap-2 py-2" onClick={onChooseFiles}>
            <FileInput size={16} aria-hidden="true" /> Choose scan files…
          </Plain>
          <Plain className="flex items-center justify-center gap-2 py-2" onClick={onChooseFolder}>
            <FolderInput size={16} aria-hidden="true" /> A whole folder…
          </Plain>
        </div>
        {meshTake && !onlyMesh && (
          <Plain className="py-2" onClick={adopt}>
            Use the mesh “{meshTake.name}” as the skin
          </Plain>
        )}
      </div>
      <FilesWritten />
      <p className="mt-2 text-[13px] text-graphite">
        PLY, STL, OBJ, OFF, PCD, glTF, 3MF and XYZ text (also .txt, .csv, .asc, .pts), or a ZIP of them. Several at once
        are several takes; a folder with a list of poses is one. Photos (JPEG, PNG) go to the take chosen below. The
        files stay as they came; nothing is ever written over them.
      </p>
      <div className="mt-3">
        {bench && (
          <>
            <BenchEngine />
            <BenchGroup />
          </>
        )}
        <FramesGroup />
        <PhotosGroup />
        <SessionGroup />
      </div>
      {bench && (
        <p className="mt-2 text-[13px] text-graphite">
          <b className="font-semibold text-ink">At a real bench</b>: projectors flicker, a warning for photosensitive
          people; never scan open eyes with bright or laser devices; turn an original over only with the owner’s
          permission. Follow the device’s sheet, local rules and qualified people.
        </p>
      )}
    </>
  )
}
