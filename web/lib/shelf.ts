import type { Verdict } from '@holosoma/core/findings'
import type { StandInSketch } from './stand-in-sketch'
import { STATIONS, type Station } from './station-names'

/** A piece as the shelf shows it. */
export interface ShelfPiece {
  readonly id: number
  readonly name: string
  readonly number: string
  readonly sample: boolean
  readonly thumb: string | null
  readonly isMesh: boolean
  /** What stands in for it while nothing was taken. */
  readonly standIn: StandInSketch | null
  readonly stops: readonly { station: Station; verdict: Verdict | null }[]
  readonly text: string
  readonly move: string
  /** The station it waits at. */
  readonly station: Station
  readonly facts: string
  /** When something was last done to it. */
  readonly changedAt: string
}

export type ShelfOrder = 'changed' | 'name' | 'number' | 'verdict' | 'station'
export interface ShelfChoice {
  readonly words: string
  readonly order: ShelfOrder
  readonly station: Station | 'any'
  readonly verdict: Verdict | 'any'
}
export const WHOLE_SHELF: ShelfChoice = { words: '', order: 'changed', station: 'any', verdict: 'any' }

const WORST: readonly (Verdict | null)[] = ['unsound', 'doubtful', null, 'sound']

/** The worst a piece has come to; null while nobody has looked. */
export function verdictOf({ stops }: Pick<ShelfPiece, 'stops'>): Verdict | null {
  const told = stops.map((s) => s.verdict).filter((v) => v !== null)
  return (['unsound', 'doubtful', 'sound'] as const).find((v) => told.includes(v)) ?? null
}

const compare = new Intl.Collator('en', { numeric: true, sensitivity: 'base' }).compare
const ORDERS: Readonly<Record<ShelfOrder, (a: ShelfPiece, b: ShelfPiece) => number>> = {
  changed: (a, b) => (a.changedAt < b.changedAt ? 1 : a.changedAt > b.changedAt ? -1 : b.id - a.id),
  name: (a, b) => compare(a.name, b.name),
  number: (a, b) => compare(a.number, b.number),
  verdict: (a, b) => WORST.indexOf(verdictOf(a)) - WORST.indexOf(verdictOf(b)),
  station: (a, b) => STATIONS.indexOf(a.station) - STATIONS.indexOf(b.station),
}

/** Letters without their accents, small: what is sought is found however it is written. */
const plain = (text: string): string => text.normalize('NFD').replace(/\p{M}/gu, '').toLowerCase()

/** The pieces that are wanted, in the order that is wanted. */
export function chosenOf(pieces: readonly ShelfPiece[], { words, order, station, verdict }: ShelfChoice): ShelfPiece[] {
  const sought = plain(words).split(/\s+/).filter(Boolean)
  return pieces
    .filter((p) => {
      const text = plain(`${p.name} ${p.number}`)
      return sought.every((w) => text.includes(w))
    })
    .filter((p) => station === 'any' || p.station === station)
    .filter((p) => verdict === 'any' || verdictOf(p) === verdict)
    .sort(ORDERS[order])
}
