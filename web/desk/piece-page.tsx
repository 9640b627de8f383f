'use client'
import { X } from 'lucide-react'
import { Tooltip } from 'radix-ui'
import { useRouter } from 'next/navigation'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { READ_EXTENSIONS } from '@holosoma/core/formats'
import type { JobRecord, PieceState } from '@holosoma/engine'
import { PLAIN_PRESET } from '@holosoma/core/measure'
import { api } from '@/lib/api'
import { afterEvent, type StateEvent } from '@/lib/state-stream'
import { benchDevice } from '@/lib/bench'
import { comparisonFrom } from '@/lib/comparison'
import { chosenFiles, importFiles, PHOTO_ENDINGS, type Dropped } from '@/lib/import-files'
import { STATION_NAMES, STATIONS, type Station } from '@/lib/station-names'
import { judgeResult, nextMove, stops } from '@/stations/road'
import { FRESH_PLAN, usePlan } from '@/lib/plan-desk'
import { VIEWS } from '@/stations/views'
import { useKeptFocus } from './use-kept-focus'
import { useKeys } from './use-keys'
import { attempt, goToStation, layOnDesk, useDesk } from '@/lib/store'
import { useFileDrop } from '@/lib/use-file-drop'
import { useJobNotices } from './use-job-notices'
import { BriefChecks } from '@/components/brief-checks'
import { CompareCard } from '@/components/compare/compare-card'
import { CompareStage } from '@/components/compare/compare-stage'
import { ContactSheet } from '@/components/contact-sheet'
import { Header } from '@/components/header'
import { KeySheet } from '@/components/key-sheet'
import { Ledger } from '@/components/ledger'
import { MeshStage } from '@/components/mesh-stage'
import { Palette, type DeskCommand } from '@/components/palette'
import { RouteBar } from '@/components/route-bar'
import { SkipLink } from '@/components/skip-link'
import { SpaceNote } from '@/components/space-note'
import { CardTabs, IconButton, Notices, Questions, unfold } from '@/components/ui'

/** A piece on the desk: route, stage, card, contact sheet. Nothing of the page itself scrolls. */
export function PiecePage({ initial }: { initial: PieceState }) {
  const ready = useFreshDesk(initial)
  const station = useDesk((d) => d.station)
  const error = useDesk((d) => d.error)
  const state = useDesk((d) => d.state)
  const comparing = useDesk((d) => d.comparing)
  const set = useDesk((d) => d.set)
  const [tab, setTab] = useState<'station' | 'ledger'>('station')
  const [palette, setPalette] = useState(false)
  const [keys, setKeys] = useState(false)
  const [dismissed, setDismissed] = useState<number | null>(null)
  const files = useRef<HTMLInputElement>(null)
  const folder = useRef<HTMLInputElement>(null)
  const router = useRouter()
  const pieceId = initial.piece.id

  useServerEvents(pieceId)
  useJobNotices(pieceId)
  // However a station was reached, a reload comes back to it.
  useEffect(() => {
    if (!ready) return
    window.history.replaceState(null, '', `?station=${station}`)
    document.title = `${STATION_NAMES[station]}, ${state.piece.name} · Holosoma`
  }, [ready, station, state?.piece.name])
  const go = useCallback((s: Station): void => {
    goToStation(s)
    setTab('station')
  }, [])
  const card = useRef<HTMLDivElement>(null)
  const [sending, setSending] = useState<readonly [done: number, of: number] | null>(null)
  const addFiles = (list: readonly Dropped[]): Promise<void> =>
    attempt(async () => {
      try {
        const { preset, selectedTake, state: now } = useDesk.getState()
        const refused = await importFiles(
          pieceId,
          list,
          preset ?? benchDevice(now).files ?? PLAIN_PRESET,
          selectedTake,
          (done, of) => setSending([done, of]),
        )
        if (refused.length > 0) throw new Error(refused.join(' '))
      } finally {
        setSending(null)
      }
    })
  const { place, over } = useFileDrop((files) => void addFiles(files))
  const commands = useMemo(
    (): DeskCommand[] => [
      ...STATIONS.map((s, i) => ({ name: `Go to ${STATION_NAMES[s]}`, keys: String(i + 1), run: () => go(s) })),
      ...STATIONS.flatMap((s) =>
        (VIEWS[s].commands ?? []).map((c): DeskCommand => ({
          name: c.name,
          terms: c.terms,
          where: STATION_NAMES[s],
          run: () => {
            go(s)
            if (c.opens) unfold(c.opens)
            // The station's card and stage are drawn first.
            if (c.run) requestAnimationFrame(() => c.run!())
          },
        })),
      ),
      { name: 'Undo the last step', keys: 'Ctrl Z', run: () => void attempt(() => api.history(pieceId, 'undo')) },
      { name: 'Redo', keys: 'Ctrl Shift Z', run: () => void attempt(() => api.history(pieceId, 'redo')) },
      {
        name: 'Go all the way by itself',
        terms: 'automatic pipeline batch process everything tidy join skin',
        run: () => void attempt(() => api.goAllTheWay(pieceId)),
      },
      { name: 'Choose scan files…', run: () => files.current?.click() },
      { name: 'Choose a folder of scans…', run: () => folder.current?.click() },
      {
        name: 'Compare two results',
        terms: 'deviation difference side by side before after distance map',
        run: () => {
          const { state: now, set: change } = useDesk.getState()
          const first = now.mesh ?? now.results[0]
          if (first) change({ comparing: comparisonFrom(now, first.id) })
          else change({ error: 'There is no skin yet to compare.' })
        },
      },
      { name: 'Show the ledger', run: () => setTab('ledger') },
      { name: 'Show the keys of this station', keys: '?', run: () => setKeys(true) },
      { name: 'Open the report', run: () => window.open(`/pieces/${pieceId}/report`, '_blank') },
      { name: 'Back to the shelf', run: () => router.push('/') },
    ],
    [go, pieceId, router],
  )
  useKeptFocus(card)
  const isComparing = comparing !== null
  useEffect(() => {
    if (card.current) card.current.scrollTop = 0
  }, [isComparing, station])
  useKeys(
    go,
    pieceId,
    () => setPalette(true),
    () => setKeys(true),
  )

  if (!ready) return null
  const failed = [...state.jobs]
    .reverse()
    .find((j) => j.state === 'failed' || j.state === 'done' || j.state === 'cancelled')
  const message = error ?? (failed?.state === 'failed' && failed.id !== dismissed ? whatFailed(failed) : null)
  const dismiss = (): void => {
    set({ error: null })
    setDismissed(failed?.id ?? null)
  }
  const { Panel, Stage, Sheet, Engine, showsSkin, keys: stationKeys } = VIEWS[station]
  return (
    <Tooltip.Provider delayDuration={300}>
      <div
        {...place}
        className="grid h-screen grid-cols-[minmax(0,1fr)] grid-rows-[44px_58px_minmax(0,1fr)_118px] overflow-hidden"
      >
        <SkipLink />
        <Header onPalette={() => setPalette(true)} onKeys={() => setKeys(true)} />
        <RouteBar stops={stops(state)} onGo={go} />
        <main className="grid min-h-0 grid-cols-[minmax(0,1fr)_clamp(360px,32vw,460px)]">
          <section aria-label="Stage" className="relative min-h-0 min-w-0 border-r border-hair">
            {comparing ? (
              <CompareStage comparing={comparing} />
            ) : showsSkin && state.mesh ? (
              <MeshStage />
            ) : (
              <Stage key={initial.piece.id} />
            )}
            {Engine && !comparing && <Engine />}
            {over && (
              <div className="pointer-events-none absolute inset-3 grid place-items-center rounded-xl border-2 border-dashed border-woad bg-card/80 font-caption text-[20px] text-woad">
                Drop scan files, photos or a folder: each scan becomes a take
              </div>
            )}
          </section>
          <aside aria-label="Card" className="flex min-h-0 flex-col bg-card">
            <CardTabs
              label="Card"
              value={tab}
              tabs={[
                ['station', comparing ? 'Compare' : STATION_NAMES[station]],
                ['ledger', `Ledger ${state.steps.length}`],
              ]}
              onChange={setTab}
              scroll={card}
            >
              {message && (
                <div
                  role="alert"
                  className="mb-3 flex items-start gap-2 rounded-md border border-madder/40 bg-blush py-1.5 pr-1.5 pl-3 text-[13.5px]"
                >
                  <span className="flex-1 py-1">{message}</span>
                  <IconButton name="Close this message" onClick={dismiss}>
                    <X size={16} />
                  </IconButton>
                </div>
              )}
              <div className="empty:hidden mb-3">
                <SpaceNote quiet />
              </div>
              {tab === 'station' && comparing ? (
                <CompareCard comparing={comparing} judge={(id) => judgeResult(state, id)} />
              ) : tab === 'station' ? (
                <>
                  <Panel
                    sending={sending}
                    onChooseFiles={() => files.current?.click()}
                    onChooseFolder={() => folder.current?.click()}
                  />
                  {station !== 'brief' && station !== 'plan' && <BriefChecks station={station} />}
                </>
              ) : (
                <Ledger scroll={card} />
              )}
            </CardTabs>
          </aside>
        </main>
        {Sheet && !comparing ? (
          <Sheet />
        ) : (
          <ContactSheet
            judge={(id) => judgeResult(state, id)}
            onAdd={() => (state.piece.benchPiece && station !== 'take' ? go('take') : files.current?.click())}
          />
        )}
        <input
          ref={files}
          type="file"
          multiple
          hidden
          accept={[...READ_EXTENSIONS, 'zip', ...PHOTO_ENDINGS].map((e) => `.${e}`).join()}
          data-testid="files"
          onChange={(e) => {
            if (e.target.files) void addFiles(chosenFiles(e.target.files))
            e.target.value = ''
          }}
        />
        <input
          ref={(input) => {
            folder.current = input
            input?.setAttribute('webkitdirectory', '')
          }}
          type="file"
          multiple
          hidden
          data-testid="folder"
          onChange={(e) => {
            if (e.target.files) void addFiles(chosenFiles(e.target.files))
            e.target.value = ''
          }}
        />
      </div>
      <Notices />
      <Questions />
      <Palette open={palette} onOpenChange={setPalette} commands={commands} />
      <KeySheet open={keys} onOpenChange={setKeys} station={station} here={stationKeys ?? []} />
    </Tooltip.Provider>
  )
}

/** Why a job failed; of a file that could not be read, with its name. */
function whatFailed({ request, error }: JobRecord): string | null {
  const file = 'fileName' in request ? request.fileName : ''
  return !error || error.includes(file) ? error : `“${file}”: ${error}`
}

/** Lays the piece on an empty desk: what the hands did at another piece is not carried over. */
function useFreshDesk(initial: PieceState): boolean {
  const here = useDesk((d) => d.state as PieceState | null)
  useEffect(() => {
    const asked = new URLSearchParams(window.location.search).get('station')
    const station = STATIONS.find((s) => s === asked) ?? nextMove(initial).station
    layOnDesk(initial, station)
    usePlan.setState(FRESH_PLAN)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once per piece; later states come as events
  }, [initial.piece.id])
  return here?.piece.id === initial.piece.id
}

function useServerEvents(pieceId: number): void {
  const set = useDesk((d) => d.set)
  useEffect(() => {
    const events = new EventSource(`/api/pieces/${pieceId}/events`)
    let told: PieceState | null = null
    events.onmessage = (event: MessageEvent<string>) => {
      told = afterEvent(told, JSON.parse(event.data) as StateEvent)
      if (told) set({ state: told })
    }
    return () => events.close()
  }, [pieceId, set])
}
