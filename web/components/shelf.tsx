'use client'
import { Ellipsis, Trash2 } from 'lucide-react'
import Link from 'next/link'
import { useRouter } from 'next/navigation'
import { useRef, useState } from 'react'
import { READ_EXTENSIONS } from '@holosoma/core/formats'
import { PLAIN_PRESET } from '@holosoma/core/measure'
import { chosenFiles, importFiles, readable, type Dropped } from '@/lib/import-files'
import { api } from '@/lib/api'
import { megabytes } from '@/lib/format'
import { useFileDrop } from '@/lib/use-file-drop'
import { chosenOf, WHOLE_SHELF, type ShelfChoice, type ShelfPiece } from '@/lib/shelf'
import { STATION_NAMES } from '@/lib/station-names'
import { ShelfFilter } from './shelf-filter'
import { SpaceNote } from './space-note'
import { Thumbnail } from './thumbnail'
import { confirmed, Menu, Plain, Primary, Questions, TextDialog, VerdictMark } from './ui'

/** Fewer pieces are seen at a glance. */
const MANY = 4

const PIECE_FIELDS = [
  { name: 'name', label: 'Name', most: 120, required: true },
  { name: 'number', label: 'Number in your collection, if it has one', most: 40 },
] as const

/** All pieces, and what each waits for. */
export function Shelf({
  pieces,
  binned,
}: {
  pieces: readonly ShelfPiece[]
  binned: readonly { readonly id: number; readonly name: string }[]
}) {
  const router = useRouter()
  const files = useRef<HTMLInputElement>(null)
  const [error, setError] = useState<string | null>(null)
  const [busy, setBusy] = useState<string | null>(null)
  const [asking, setAsking] = useState(false)
  const bringIn = async (list: readonly Dropped[]): Promise<void> => {
    if (list.length === 0) return
    setError(null)
    const known = list.filter((f) => readable(f.file.name))
    if (known.length === 0) {
      setError(`“${list[0].file.name}” is of no kind that can be read. Known: ${READ_EXTENSIONS.join(', ')}, and zip.`)
      return
    }
    try {
      const { id } = await api.createPiece(
        (known[0].folder || known[0].file.name.replace(/\.[^.]+$/, '')).slice(0, 100),
        '',
      )
      const refused = await importFiles(
        id,
        list.filter((f) => readable(f.file.name) || f.file.name.endsWith('.txt')),
        PLAIN_PRESET,
        null,
        (done, of) => setBusy(`Bringing in file ${done} of ${of}…`),
      )
      if (refused.length >= known.length) {
        // Nothing came: no empty piece is left behind.
        await api.updatePiece(id, { binned: true }).then(() => api.removePiece(id))
        throw new Error(refused.join(' '))
      }
      router.push(`/pieces/${id}?station=take`)
    } catch (e) {
      setBusy(null)
      setError((e as Error).message)
    }
  }
  const act = async (what: () => Promise<unknown>): Promise<void> => {
    setError(null)
    try {
      await what()
      router.refresh()
    } catch (e) {
      setError((e as Error).message)
    }
  }
  const remove = ({ id, name }: { id: number; name: string }): Promise<void> =>
    act(async () => {
      const { bytes } = await api.pieceBytes(id)
      const sure = await confirmed({
        title: `Remove “${name}” for good?`,
        text:
          `Its takes, results and ledger go, and cannot be had back: ${megabytes(bytes)} that are kept ` +
          'for it alone. The files it came from stay where you have them.',
        yes: 'Remove it',
        no: 'Leave it in the bin',
      })
      if (sure) await api.removePiece(id)
    })
  const { place, over } = useFileDrop((files) => void bringIn(files))
  const [choice, setChoice] = useState<ShelfChoice>(WHOLE_SHELF)
  const chosen = chosenOf(pieces, choice)
  const waiting = pieces.filter((p) => p.stops.some((s) => s.station === 'release' && s.verdict !== 'sound')).length
  return (
    <div {...place} className="flex min-h-screen flex-col">
      <header className="flex h-11 items-center gap-2 border-b border-hair px-4">
        <Link href="/" className="font-caption text-[17px] font-semibold text-verdigris">
          Holosoma
        </Link>
        <span className="text-hair">/</span>
        <span className="font-semibold">Shelf</span>
        <span className="flex-1" />
        <Link href="/devices" className="inline-flex min-h-8 items-center text-graphite hover:text-ink">
          Devices
        </Link>
      </header>
      <main className="mx-auto flex min-h-0 w-full max-w-[1280px] flex-1 flex-col px-10 py-6">
        <div className="mb-4 flex items-end gap-4">
          <div>
            <h1 className="font-caption text-[28px] leading-tight font-semibold">
              {pieces.some((p) => p.sample) ? 'Harrow Quay Net Loft' : 'Shelf'}
            </h1>
            <p className="text-graphite">
              {pieces.length === 0
                ? 'The shelf is empty.'
                : `${pieces.length} ${pieces.length === 1 ? 'piece' : 'pieces'}, ${waiting} still on the way.`}
              {pieces.some((p) => p.sample) && <span className="figure ml-2">Sample data</span>}
            </p>
          </div>
          <span className="flex-1" />
          <Plain className="px-4 py-2" onClick={() => files.current?.click()}>
            Choose scan files…
          </Plain>
          <Primary className="!w-auto" onClick={() => setAsking(true)}>
            New piece
          </Primary>
          {asking && (
            <TextDialog
              title="New piece"
              verb="Put it on the shelf"
              fields={PIECE_FIELDS}
              given={{ name: '', number: '' }}
              onDone={() => setAsking(false)}
              onWrite={async ({ name, number }) =>
                router.push(`/pieces/${(await api.createPiece(name, number)).id}?station=brief`)
              }
            />
          )}
        </div>
        {error && (
          <div role="alert" className="mb-4 rounded-md border border-madder/40 bg-blush px-3 py-2">
            {error}
          </div>
        )}
        {busy && (
          <p role="status" className="mb-4 text-graphite">
            {busy}
          </p>
        )}
        {pieces.length > MANY && <ShelfFilter choice={choice} onChange={setChoice} found={chosen.length} />}
        {pieces.length > 0 && chosen.length === 0 && (
          <p className="py-6 text-center text-graphite">No piece on the shelf is like that.</p>
        )}
        <ul className="grid grid-cols-2 gap-3.5">
          {chosen.map((p) => (
            <Row key={p.id} piece={p} onAct={act} />
          ))}
        </ul>
        <button
          type="button"
          onClick={() => files.current?.click()}
          className={`mt-4 grid min-h-44 flex-1 place-items-center rounded-[10px] border-2 border-dashed text-center ${over ? 'border-woad bg-card text-woad' : 'border-[#cfc6b2] text-graphite hover:border-graphite'}`}
        >
          <span>
            <b className="block font-caption text-[18px] font-semibold text-ink">Drop scan files here</b>each becomes a
            take of a new piece: {READ_EXTENSIONS.join(', ')}
          </span>
        </button>
        <section
          className="mt-5 grid grid-cols-3 gap-6 border-t border-hair pt-4 text-[13.5px] text-graphite"
          aria-label="How it goes"
        >
          <p>
            <b className="block text-ink">Brief and plan, then take, tidy, join</b>What the planned takes will see is
            worked out before the piece is touched. Two or more takes in different poses; picked pairs bring them
            together, and the join says how well it holds.
          </p>
          <p>
            <b className="block text-ink">Skin, mend, size</b>One closed surface that tells what was measured and what
            was filled; then true size from calliper readings.
          </p>
          <p>
            <b className="block text-ink">Release</b>STL, PLY, OBJ or GLB, and a report of every step. Your scan files
            stay as they came, and every step can be undone.
          </p>
        </section>
        <div className="mt-3 flex items-center gap-4">
          <SpaceNote />
          {binned.length > 0 && (
            <Menu
              items={binned.flatMap((p) => [
                {
                  name: `Take “${p.name}” out`,
                  run: () => void act(() => api.updatePiece(p.id, { binned: false })),
                },
                { name: `Remove “${p.name}” for good…`, run: () => void remove(p) },
              ])}
            >
              <Plain className="flex items-center gap-1.5">
                <Trash2 size={14} aria-hidden="true" /> Bin: {binned.length}
              </Plain>
            </Menu>
          )}
        </div>
        <Questions />
        <input
          ref={files}
          type="file"
          multiple
          hidden
          accept={[...READ_EXTENSIONS, 'zip'].map((e) => `.${e}`).join()}
          data-testid="files"
          onChange={(e) => void (e.target.files && bringIn(chosenFiles(e.target.files)))}
        />
      </main>
    </div>
  )
}

function Row({ piece, onAct }: { piece: ShelfPiece; onAct: (what: () => Promise<unknown>) => Promise<void> }) {
  const [writing, setWriting] = useState(false)
  return (
    <li
      className="grid grid-cols-[132px_1fr] gap-4 rounded-[10px] border border-hair bg-card py-2.5 pr-4 pl-2.5 [contain-intrinsic-size:auto_136px] [content-visibility:auto]"
      data-testid="piece"
    >
      <div className="relative">
        <Thumbnail
          hash={piece.thumb}
          standIn={piece.standIn}
          colour={piece.isMesh ? '#C08A68' : '#35518C'}
          width={132}
          height={112}
        />
        {!piece.thumb && (
          <span
            className={`absolute inset-x-0 grid place-items-center px-4 text-center text-[12px] text-graphite ${piece.standIn ? 'top-[93px]' : 'inset-y-0'}`}
          >
            not taken yet
          </span>
        )}
      </div>
      <div className="flex min-w-0 flex-col">
        <h2 className="flex justify-between font-caption text-[17px] font-semibold">
          <Link href={`/pieces/${piece.id}`} className="truncate hover:underline">
            {piece.name}
          </Link>
          <span className="flex items-start gap-1">
            <span className="figure max-w-32 shrink-0 truncate font-normal text-graphite">{piece.number}</span>
            <Menu
              items={[
                { name: 'Name and number…', run: () => setWriting(true) },
                {
                  name: 'Put into the bin',
                  run: () => void onAct(() => api.updatePiece(piece.id, { binned: true })),
                },
              ]}
            >
              <button
                type="button"
                aria-label={`More of “${piece.name}”`}
                className="-mt-1 -mr-2 grid h-8 w-8 place-items-center rounded-md text-graphite hover:bg-ground hover:text-ink"
              >
                <Ellipsis size={16} aria-hidden="true" />
              </button>
            </Menu>
          </span>
        </h2>
        <ol className="my-2 flex items-center" aria-label="Stations">
          {piece.stops.map((s, i) => (
            <li key={s.station} className="flex items-center" title={STATION_NAMES[s.station]}>
              {i > 0 && <i className="h-px w-6 bg-hair" />}
              <VerdictMark verdict={s.verdict} />
              <span className="sr-only">
                {STATION_NAMES[s.station]}: {s.verdict ?? 'not reached'}
              </span>
            </li>
          ))}
        </ol>
        <p className="line-clamp-2 font-caption text-[14.5px] leading-snug">{piece.text}</p>
        <p className="mt-auto flex justify-between pt-1.5 text-[13px]">
          <Link
            href={`/pieces/${piece.id}?station=${piece.station}`}
            className="font-semibold text-verdigris hover:underline"
          >
            {piece.move}
          </Link>
          <span className="text-graphite">{piece.facts}</span>
        </p>
      </div>
      {writing && (
        <TextDialog
          title="This piece"
          verb="Write it down"
          fields={PIECE_FIELDS}
          given={piece}
          onDone={() => setWriting(false)}
          onWrite={async (texts) => {
            await api.updatePiece(piece.id, texts)
            await onAct(() => Promise.resolve())
          }}
        />
      )}
    </li>
  )
}
