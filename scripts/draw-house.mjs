#!/usr/bin/env node
// Draws the house as it stands, from its imports: node scripts/draw-house.mjs writes docs/house.svg.
import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { dirname, join, relative, sep } from 'node:path'
import { fileURLToPath } from 'node:url'
import { ROOMS } from './lib/rooms.mjs'

const root = dirname(dirname(fileURLToPath(import.meta.url)))
const WORKSPACES = ['core', 'engine', 'cli', 'web']
const CELL = 22
const LEFT = 96
const TOP = 116
const WEB = ['lib', 'stage', 'workers', 'components', 'stations', 'requests', 'desk', 'server', 'app']

/** Source files below a folder, tests left out. */
const sources = (folder) =>
  readdirSync(join(root, folder), { recursive: true })
    .filter((f) => /\.tsx?$/.test(f) && !/\.test\.tsx?$|node_modules|\.next/.test(f))
    .map((f) => join(folder, f))

/** Which room of a list looks into which, tests left out. @returns "from>to" */
function looks(folder, rooms, alias) {
  const found = new Set()
  for (const file of sources(folder)) {
    const from = relative(folder, file).split(sep)[0]
    if (!rooms.includes(from)) continue
    for (const [, path] of readFileSync(join(root, file), 'utf8').matchAll(/from '([^']+)'/g)) {
      const to = path.startsWith('.')
        ? relative(folder, join(dirname(file), path)).split(sep)[0]
        : alias && path.startsWith(alias)
          ? path.slice(alias.length).split('/')[0]
          : null
      if (to && to !== from && rooms.includes(to)) found.add(`${from}>${to}`)
    }
  }
  return found
}

/** A square for each room that looks into another: where all lie below the diagonal, rooms stand on each other. */
function matrix(title, rooms, found, y) {
  const rows = rooms.map((from, i) => {
    const at = y + TOP + i * CELL
    const cells = rooms.map((to, k) => {
      const x = LEFT + k * CELL
      const fill = i === k ? '#23262A' : found.has(`${from}>${to}`) ? '#2A7A6E' : k < i ? '#F1EADC' : 'none'
      return `<rect x="${x + 1}" y="${at + 1}" width="${CELL - 2}" height="${CELL - 2}" rx="3" fill="${fill}"><title>${from} ${found.has(`${from}>${to}`) ? 'looks into' : 'does not look into'} ${to}</title></rect>`
    })
    return `<text x="${LEFT - 8}" y="${at + 15}" text-anchor="end">${from}</text>${cells.join('')}`
  })
  const heads = rooms.map((to, k) => {
    const x = LEFT + k * CELL + 15
    return `<text transform="translate(${x} ${y + TOP - 6}) rotate(-90)">${to}</text>`
  })
  return `<text x="16" y="${y + 22}" font-size="15" font-weight="600">${title}</text>${heads.join('')}${rows.join('\n')}`
}

export function drawHouse() {
  const core = looks('core/src', ROOMS)
  const web = looks('web', WEB, '@/')
  const height = TOP + ROOMS.length * CELL + 20
  const second = LEFT + ROOMS.length * CELL + 70
  const boxes = WORKSPACES.map((name, i) => {
    const uses = WORKSPACES.filter((w) =>
      sources(name === 'web' ? name : join(name, 'src')).some((f) =>
        readFileSync(join(root, f), 'utf8').includes(`from '@holosoma/${w}`),
      ),
    )
    const y = TOP + WEB.length * CELL + 60 + (3 - i) * 34
    return `<rect x="${second + 30}" y="${y}" width="250" height="26" rx="6" fill="#FBF9F4" stroke="#CFC6B2"/><text x="${second + 42}" y="${y + 17}"><tspan font-weight="600">${name}</tspan>${uses.length > 0 ? ` looks into ${uses.join(' and ')}` : ' looks into none'}</text>`
  })
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${second + 330}" height="${height}" viewBox="0 0 ${second + 330} ${height}" font-family="Instrument Sans, sans-serif" font-size="12.5" fill="#23262A">
<rect width="100%" height="100%" fill="#F6F1E7"/>
${matrix('Rooms of the core: a row looks into the columns marked', ROOMS, core, 0)}
<g transform="translate(${second} 0)">${matrix('Rooms of the web', WEB, web, 0)}</g>
${boxes.join('\n')}
</svg>
`
}

if (process.argv[1] === fileURLToPath(import.meta.url)) writeFileSync(join(root, 'docs', 'house.svg'), drawHouse())
