import type { TakeState } from '@holosoma/engine'

/** Takes' own pigments, never used for a verdict; always shown with number and name too. */
export const PIGMENTS = [
  ['lapis', '#35518C'],
  ['terracotta', '#B05F3C'],
  ['heather', '#7B5A88'],
  ['moss', '#6C7F36'],
  ['umber', '#8A6B4A'],
  ['steel', '#4E8098'],
  ['mulberry', '#A14D78'],
  ['lichen', '#50695B'],
  ['clay', '#C28F7A'],
  ['lime', '#8F8A3C'],
  ['slate', '#5B5B8A'],
  ['zinc', '#9AA3AB'],
] as const

export function pigment(ordinal: number): { name: string; colour: string } {
  const [name, colour] = PIGMENTS[(ordinal - 1) % PIGMENTS.length]
  return { name, colour }
}

/** A take's pigment: its own where one was chosen for it, else by its number. */
export const pigmentOf = (take: Pick<TakeState, 'ordinal' | 'pigment'>): { name: string; colour: string } =>
  pigment((take.pigment ?? take.ordinal - 1) + 1)
