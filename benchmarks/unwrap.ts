/** How long it takes to lay a surface out, and how well the sheet is used: npx tsx benchmarks/unwrap.ts [piece] [mm] */
import { DEMO_PIECES, polygonise, quietContext } from '@holosoma/core'
import { unwrap, type UnwrapOptions } from '@holosoma/core/unwrap'

const [name = 'gull', spacing = '0.96'] = process.argv.slice(2)
const { field, bounds } = DEMO_PIECES[name]
const mesh = polygonise(field, bounds, Number(spacing), quietContext())
const cases: [string, UnwrapOptions][] = [
  ['8192 texels', { sheetPx: 8192 }],
  ['100 dpi', { texelMm: 25.4 / 100 }],
]
for (const [what, options] of cases) {
  const begun = process.cpuUsage()
  const { mesh: _laid, ...told } = unwrap(mesh, options, quietContext())
  const { user, system } = process.cpuUsage(begun)
  const figures = Object.entries(told).map(([k, v]) => `${k} ${Number(v.toPrecision(4))}`)
  console.log(
    `${name}, ${mesh.indices.length / 3} faces, ${what}: ${((user + system) / 1e6).toFixed(1)} s; ${figures.join(', ')}`,
  )
}
