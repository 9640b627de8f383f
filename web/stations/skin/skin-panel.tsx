'use client'
import { useEffect, useState } from 'react'
import { choiceOf, wantedSkinSpacing } from '@holosoma/core/brief'
import { forecastSkin, spacingForPoints, type EdgeChoice, type SkinGround } from '@holosoma/core/fuse'
import { FigureTable, Findings } from '@/components/finding'
import { Choice, Group, Plain, Primary, Tick } from '@/components/ui'
import { clock, megabytes, short } from '@/lib/format'
import { geometry } from '@/lib/geometry'
import { unplacedTakes, whatGoesIn } from '@/lib/joining'
import { leaveOutUnplaced } from '@/lib/leaving'
import { judge } from '../road'
import { askedFor, triangleRule, type Typed } from './fineness'
import { FinenessFields } from './fineness-fields'
import { Apart } from './apart'
import { Edges } from './edges'
import { LaterActs } from './later-acts'
import { attempt, submit, useBusy, useDesk } from '@/lib/store'
import type { PieceState } from '@holosoma/engine'
import { useMachine } from '@/lib/use-machine'

/** Where nobody says how many. */
const USUAL_TRIANGLES = 100_000
/** Where nobody says how fine, mm. */
const USUAL_SPACING_MM = 0.5
/** Of the surface all takes show, what one of them does, about. */
const SHARE_OF_A_TAKE = 0.7
/** A spacing for so many points a take. */
const suggested = (areaMm2: number, points: number): number =>
  spacingForPoints(Math.sqrt((areaMm2 * SHARE_OF_A_TAKE) / points))
/** Seconds a unit of work takes where nothing has been measured yet. */
const USUAL_SECONDS = 1

const EDGES = [
  ['off', 'Rounded to the spacing'],
  ['careful', 'Kept where points are sure'],
  ['strong', 'Kept readily'],
] as const

/** What was chosen for the edges of the skin that stands. */
function edgesOf({ mesh }: PieceState): EdgeChoice {
  const chosen =
    mesh?.chain.findLast((s) => s.operation === 'skin.edges')?.params.choice ?? mesh?.chain[0]?.params.edges
  return chosen === 'careful' || chosen === 'strong' ? chosen : 'off'
}

/** One surface: spacing against triangles, time and memory; evidence shown. */
export function SkinPanel() {
  const state = useDesk((d) => d.state)
  const set = useDesk((d) => d.set)
  const brief = state.brief?.content
  const [changed, setChanged] = useState<Partial<Typed>>({})
  const [closed, setClosed] = useState(!brief || choiceOf(brief, 'holes') === 'close')
  const [allParts, setAllParts] = useState(false)
  const [turn, setTurn] = useState(state.mesh?.chain[0]?.params.turn === true)
  const [edgesChosen, setEdges] = useState<EdgeChoice | null>(null)
  const [ground, setGround] = useState<SkinGround | null>(null)
  const area = ground?.areaMm2 ?? null
  const takes = state.takes.filter((t) => state.goesIn.includes(t.id))
  const busy = useBusy()
  const ready = takes.length > 0 && (takes.length === 1 || (state.join && !state.join.stale))
  const goesIn = whatGoesIn(state)
  const unplaced = unplacedTakes(state)
  const key = takes.map((t) => t.shape!.hash).join()
  const join = state.join
  useEffect(() => {
    let current = true
    if (key !== '')
      geometry()
        .skinGround(
          takes.map((t) => ({ hash: t.shape!.hash, rows: join?.motions[t.name] ?? null })),
          closed,
        )
        .then(
          (found) => current && setGround(found),
          () => undefined,
        )
    return () => {
      current = false
    }
    // eslint-disable-next-line react-hooks/exhaustive-deps -- the shapes' hashes say it all
  }, [key, join?.step.id, closed])
  const points = takes.reduce((n, t) => n + t.shape!.points, 0)
  // What the brief asks, or what the points hold, until a hand says otherwise.
  const suggestion = brief
    ? wantedSkinSpacing(brief, state.plan?.content.device.spacingMm ?? null)
    : area !== null && area > 0 && points > 0
      ? suggested(area, points / takes.length)
      : USUAL_SPACING_MM
  // What was put into the skin before goes into the next one, too.
  const edges = edgesChosen ?? edgesOf(state)
  const typed: Typed = { kind: 'even', spacing: String(suggestion), count: String(USUAL_TRIANGLES), ...changed }
  const asked = askedFor(typed, ground)
  const machine = useMachine(state.mesh?.step.id)
  const forecast =
    asked && ground && ground.areaMm2 > 0 ? forecastSkin(ground, asked.spacingMm, { ...asked, edges }) : null
  const tooMuch = forecast !== null && machine !== null && forecast.memoryBytes > machine.memoryBytes
  const perUnit = machine?.secondsPerUnit['skin.make'] ?? null
  const unsoundJoin = takes.length > 1 && !!state.join && judge(state, 'join').verdict === 'unsound'
  const made = state.mesh?.chain[0]?.operation === 'skin.make'
  const make = (beside = false): Promise<void> =>
    attempt(async () => {
      if (!asked)
        throw new Error(
          typed.kind === 'count'
            ? 'How many triangles must be a whole number.'
            : 'The spacing must be a number larger than 0 mm.',
        )
      const { spacingMm, ...rest } = asked
      const params = { ...rest, ...(asked.triangles === null && { spacingMm }), closed, allParts, edges, turn }
      await submit({ operation: 'skin.make', params, ...(beside && { beside }) })
      set({ view: 'surface' })
    })
  return (
    <>
      <h2 className="mb-2 font-caption text-[21px] leading-tight font-semibold">How fine shall the skin be?</h2>
      {state.mesh && <Findings findings={judge(state, 'skin').findings} />}
      <Apart />
      <LaterActs key={state.mesh?.step.id} />
      {!ready && (
        <p className="font-caption text-[16px]">
          {state.takes.length === 0
            ? 'There is no take yet.'
            : 'Join the takes first; a skin over takes that do not fit has double walls.'}
        </p>
      )}
      {goesIn && (
        <div className="my-2 grid gap-2" data-testid="goes-in">
          <p className="font-caption text-[15px]">{goesIn}</p>
          {unplaced.length > 0 && (
            <div className="grid grid-cols-2 gap-2">
              <Plain onClick={() => attempt(() => leaveOutUnplaced(state))}>
                {unplaced.length === 1 ? 'Leave it out' : `Leave the ${unplaced.length} out`}
              </Plain>
              <Plain onClick={() => set({ station: 'join', selectedTake: unplaced[0].id })}>Place by hand</Plain>
            </div>
          )}
        </div>
      )}
      {!state.mesh && unsoundJoin && (
        <p
          className="my-2 rounded-md border border-madder/40 bg-blush px-2.5 py-1.5 text-[13px]"
          data-testid="unsound-join"
        >
          The join is unsound: a skin made from it carries its steps and double walls. Settle the join first, or go on
          knowing it.
        </p>
      )}
      <div className="mt-2 grid gap-2">
        <FinenessFields typed={typed} onChange={(change) => setChanged({ ...changed, ...change })} />
        <label className="grid gap-1 text-[13px]">
          Edges
          <Choice label="Edges" value={edges} options={EDGES} onChange={setEdges} />
        </label>
        <Tick checked={closed} onChange={setClosed}>
          Close what no take saw
        </Tick>
        <Tick checked={allParts} onChange={setAllParts}>
          Keep loose parts
        </Tick>
        <Tick checked={turn} onChange={setTurn}>
          Turn over takes that face into the piece
        </Tick>
      </div>
      {forecast && asked && ready && (
        <FigureTable
          figures={[
            {
              label: 'Triangles, about',
              value: short(forecast.faces),
              rule: triangleRule(typed, asked),
            },
            {
              label: 'Time, about',
              value: clock(Math.max(1, forecast.work * (perUnit ?? USUAL_SECONDS))),
              rule: perUnit === null ? 'a usual machine' : 'from the last skins on this machine',
            },
            {
              label: 'Memory, about',
              value: megabytes(forecast.memoryBytes),
              ...(tooMuch && {
                verdict: 'unsound' as const,
                rule: `${megabytes(machine.memoryBytes)} are there for it`,
              }),
            },
            { label: 'As an STL file', value: megabytes(forecast.stlBytes) },
          ]}
        />
      )}
      {tooMuch && (
        <p role="alert" className="my-2 text-[13px] text-madder">
          This machine has not the memory for so fine a skin; choose a wider spacing.
        </p>
      )}
      {state.mesh && !state.mesh.stale ? (
        <>
          <Primary onClick={() => set({ station: 'mend' })}>Go on to Mend</Primary>
          <Plain className="my-2 w-full py-2" disabled={busy || !ready || tooMuch} onClick={() => make()}>
            Make the skin again
          </Plain>
        </>
      ) : (
        <Primary className="mb-2" disabled={busy || !ready || tooMuch} onClick={() => make()}>
          {state.mesh ? 'Make the skin again' : 'Make the skin'}
        </Primary>
      )}
      {made && (
        <Plain className="mb-2 w-full py-2" disabled={busy || !ready || tooMuch} onClick={() => make(true)}>
          Make another beside it
        </Plain>
      )}
      <Edges />
      <Group title="What the marks mean">
        <p className="text-[13px] text-graphite">
          Measured: plain clay. Carried from close by: fine dots. Invented to close a gap: open hatch. Half the spacing
          makes four times the triangles.
        </p>
      </Group>
    </>
  )
}
