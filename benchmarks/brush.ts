/* Brushes on a surface of 500,000 faces: updates a second, each as many dabs as a hand makes in one. */
import { quietContext } from '@holosoma/core'
import { RawSurface, Sculpture, type Brush } from '@holosoma/core/sculpt'
import { rawSurfaceOf } from '@holosoma/core/operations'
import { cloudOfMesh } from '@holosoma/core'
import { torus } from '@holosoma/core/testing/solids'

const mesh = torus(30, 9, 1000, 250)
const raw: RawSurface | null = rawSurfaceOf(
  { takes: [cloudOfMesh(mesh)] },
  { names: ['take'], up: null, scale: 1 },
  null,
  quietContext(),
)
console.log(`${mesh.indices.length / 3} faces, brush of 2 mm radius, held to ${mesh.positions.length / 3} points`)
for (const brush of ['smooth', 'fill', 'flatten', 'pull'] as const satisfies readonly Brush[]) {
  const began = performance.now()
  const work = new Sculpture(mesh, { capMm: 0.2, raw })
  const opened = performance.now()
  work.begin({ brush, radiusMm: 2, strength: 0.5, side: [0, 0, 1], onto: 'plane' })
  const times: number[] = []
  let touched = 0
  for (let k = 0; k < 200; k++) {
    const a = k * 0.02
    const t = performance.now()
    touched += work.dab(30 * Math.cos(a), 30 * Math.sin(a), 9, 1).length
    times.push(performance.now() - t)
  }
  times.sort((a, b) => a - b)
  console.log(
    `${brush.padEnd(8)} laid under the hand in ${(opened - began).toFixed(0)} ms; a dab ${times[100].toFixed(1)} ms ` +
      `(95 of 100 within ${times[190].toFixed(1)}), about ${Math.round(touched / 200)} points each`,
  )
}
