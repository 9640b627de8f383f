/**
 * What a join is held against: the contract's thresholds, and those proven on the bench beside them. Lengths in
 * tolerances T where not said.
 */
export const JOIN_LIMITS = {
  /** Overlap under which a join is easily wrong, and under which it is none. */
  overlap: 0.2,
  noOverlap: 0.05,
  /** Play, in tolerances. */
  playSound: 1 / 3,
  playUnsound: 1,
  /** Share of the shared surface that may be double. */
  doubleShare: 0.01,
  /** Share of a take that may hide what another saw. */
  conflictDoubtful: 0.01,
  conflictUnsound: 0.04,
  /** Share of the places of two takes that rule each other out, from so many places on. */
  ruledOutLeast: 12,
  ruledOutDoubtful: 0.0015,
  ruledOutUnsound: 0.004,
  /** Scatter where takes meet over what their points explain: uneasy, and plainly not the same surface. */
  scatter: 1.6,
  scatterUnsound: 2.4,
  /** Another pose that nothing contradicts is told of from so much of the surface on that the pose taken meets on. */
  lessShare: 0.5,
  /** How far a pair would still move, in tolerances. */
  tensionSound: 0.5,
  tensionUnsound: 1,
} as const
