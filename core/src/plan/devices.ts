import type { DeviceProfile } from './device-profile'

const plain = { noiseGrowth: 2, maxIncidenceDeg: 72, version: 1, modes: [], laserClass: 'none', flickers: true, sunBlinds: false, dotsInView: 5, exposureRange: 12, tableLoadG: 0 } as const

/** The profiles that ship, one for each class of device. Invented but plausible figures, of no device in particular. */
export const DEVICE_CLASSES: readonly DeviceProfile[] = [
  {
    ...plain, id: 'macro-tripod', name: 'Macro structured light, tripod', hold: 'tripod', windowMm: 55, standOffMm: 180, nearMm: 168, farMm: 192, spacingMm: 0.03, noiseMm: 0.008, accuracyMm: 0.015, baselineMm: 60,
    framesPerSecond: 1.5, tracking: ['shape', 'table'], pieceMinMm: 5, pieceMaxMm: 80, freeMaxMm: 160, tableLoadG: 2000, setUpMinutes: 15, pricePerHour: 30,
  },
  {
    ...plain, id: 'tabletop', name: 'Tabletop structured light with turntable', hold: 'table', windowMm: 160, standOffMm: 330, nearMm: 275, farMm: 385, spacingMm: 0.15, noiseMm: 0.03, accuracyMm: 0.06, baselineMm: 90,
    framesPerSecond: 8, tracking: ['table', 'dots', 'shape'], pieceMinMm: 20, pieceMaxMm: 180, freeMaxMm: 400, tableLoadG: 5000, setUpMinutes: 10, pricePerHour: 15,
  },
  {
    ...plain, id: 'hand-small', name: 'Small-window handheld light', hold: 'hand', windowMm: 120, standOffMm: 240, nearMm: 210, farMm: 270, spacingMm: 0.2, noiseMm: 0.03, accuracyMm: 0.05, baselineMm: 70,
    framesPerSecond: 8, tracking: ['shape', 'colour', 'dots'], pieceMinMm: 20, pieceMaxMm: 300, freeMaxMm: 400, setUpMinutes: 5, pricePerHour: 20,
  },
  {
    ...plain, id: 'hand-mid', name: 'Mid-window handheld light', hold: 'hand', windowMm: 340, standOffMm: 420, nearMm: 330, farMm: 510, spacingMm: 0.8, noiseMm: 0.06, accuracyMm: 0.1, baselineMm: 140,
    framesPerSecond: 15, tracking: ['shape', 'colour', 'dots'], pieceMinMm: 100, pieceMaxMm: 600, freeMaxMm: 4000, setUpMinutes: 5, pricePerHour: 20,
  },
  {
    ...plain, id: 'hand-laser', name: 'Handheld laser lines', hold: 'hand', windowMm: 220, standOffMm: 290, nearMm: 200, farMm: 380, spacingMm: 0.1, noiseMm: 0.015, accuracyMm: 0.03, baselineMm: 160, flickers: false, exposureRange: 60,
    framesPerSecond: 30, tracking: ['dots'], laserClass: '2', pieceMinMm: 30, pieceMaxMm: 600, freeMaxMm: 4000, setUpMinutes: 15, pricePerHour: 40,
    modes: [
      { name: 'crossed lines', spacingFactor: 1, speedFactor: 1, use: 'quickest' },
      { name: 'parallel lines', spacingFactor: 0.5, speedFactor: 0.4, use: 'slower, crisper in grooves' },
      { name: 'one line', spacingFactor: 1, speedFactor: 0.1, use: 'deep holes' },
    ],
  },
  {
    ...plain, id: 'depth-camera', name: 'Depth camera (infrared)', hold: 'hand', windowMm: 900, standOffMm: 1400, nearMm: 600, farMm: 3000, spacingMm: 1.6, noiseMm: 1, accuracyMm: 1.5, baselineMm: 75, flickers: false, sunBlinds: true,
    framesPerSecond: 30, tracking: ['shape'], pieceMinMm: 250, pieceMaxMm: 1000, freeMaxMm: 4000, setUpMinutes: 5, pricePerHour: 5,
  },
  {
    ...plain, id: 'arm-line', name: 'Single laser line on an arm', hold: 'arm', windowMm: 110, standOffMm: 125, nearMm: 90, farMm: 160, spacingMm: 0.06, noiseMm: 0.015, accuracyMm: 0.03, baselineMm: 60, flickers: false, exposureRange: 40,
    framesPerSecond: 100, tracking: ['encoders'], laserClass: '2', pieceMinMm: 10, pieceMaxMm: 1200, freeMaxMm: 1800, setUpMinutes: 20, pricePerHour: 60,
  },
]
