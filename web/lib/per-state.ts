import type { PieceState } from '@holosoma/engine'

/**
 * A question about a piece, asked once for each state of it: states never change, the next one is another object. The
 * answers go with their state. They are shared, so whoever asks may not change them.
 */
export function perState<Key, Answer>(
  ask: (state: PieceState, key: Key) => Answer,
): (state: PieceState, key: Key) => Answer {
  const known = new WeakMap<PieceState, Map<Key, Answer>>()
  return (state, key) => {
    let answers = known.get(state)
    if (!answers) known.set(state, (answers = new Map()))
    if (!answers.has(key)) answers.set(key, ask(state, key))
    return answers.get(key)!
  }
}
