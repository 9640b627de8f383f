import { matchFrames } from '../core/src/align/frames/frame-match'
import { captureTake, TABLETOP_DEVICE } from '../core/src/bench/capture'
import { DEMO_PIECES } from '../core/src/bench/pieces'
import { ALL_FAULTS } from '../core/src/bench/settings'
import { findDoubleLayers } from '../core/src/cloud/double-layers'
import { quietContext } from '../core/src/context'
import { NEW_TAKE } from '../core/src/plan/takes'

/**
 * Double surfaces and their distance before and after the frames of a take are matched, for a calm, a hasty and a
 * hopeless table.
 */
for (const name of ['lamp', 'jug', 'gull']) {
  const piece = DEMO_PIECES[name]
  for (const secondsPerTurn of [90, 4, 2]) {
    const device = { ...TABLETOP_DEVICE, nearMm: 150, farMm: 600, windowMm: 1.6 * piece.lengthMm }
    const take = captureTake(piece, { ...NEW_TAKE, elevationDeg: 40, secondsPerTurn }, device, 5, quietContext(), {
      faults: ALL_FAULTS,
      spacingMm: piece.lengthMm / 300,
    })
    const before = findDoubleLayers(take.cloud, quietContext())
    const from = performance.now()
    const m = await matchFrames(take.cloud, { placed: 'table' }, quietContext())
    const seconds = (performance.now() - from) / 1000
    const after = findDoubleLayers(m.cloud, quietContext())
    const share = (d: typeof before): string => `${((100 * d.double) / d.patches).toFixed(1)} %`
    process.stdout.write(
      `${name}, ${secondsPerTurn} s a turn, ${take.cloud.positions.length / 3} points: double ` +
        `${share(before)} (${before.apartMm.toFixed(2)} mm apart) → ${share(after)}; closing ` +
        `${m.closingBeforeMm.toFixed(2)} → ${m.closingAfterMm.toFixed(2)} mm; ${m.rounds} rounds, ` +
        `${seconds.toFixed(1)} s\n`,
    )
  }
}
