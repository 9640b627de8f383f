import { CORNER_MARK_MM, type DotLayout, type DotSettings, type Stand } from './dots'

/* The mat and the stands as a sheet to print at true size: SVG in millimetres. */

export interface Sheet {
  readonly svg: string
  readonly widthMm: number
  readonly heightMm: number
}

/** Length of the bar to check the print by. */
export const CHECK_BAR_MM = 100
const BORDER_MM = 15
const INK = '#000'

/**
 * The first four codes of the public ArUco dictionary MIP_36h12 (Romero-Ramirez, Muñoz-Salinas, Medina-Carnicer 2018),
 * six rows of six, 1 is white.
 */
const MARK_CODES = [
  '110100101011011000111010000010011101',
  '011000000000000100010011010011100101',
  '000100100000011011111011111001110010',
  '111111111000101011010110110010110100',
] as const
const MARK_CELLS = 6

/** One coded square mark with its black rim, upper left corner at x, y; mm. */
function codedMark(id: number, x: number, y: number, sizeMm: number): string {
  const k = sizeMm / (MARK_CELLS + 2)
  const cells = [...MARK_CODES[id]].flatMap((bit, i) =>
    bit === '1'
      ? [
          `<rect x="${x + (1 + (i % MARK_CELLS)) * k}" y="${y + (1 + Math.floor(i / MARK_CELLS)) * k}" ` +
            `width="${k}" height="${k}" fill="#fff"/>`,
        ]
      : [],
  )
  return (
    `<g data-mark="${id}" shape-rendering="crispEdges"><rect x="${x}" y="${y}" width="${sizeMm}" ` +
    `height="${sizeMm}" fill="${INK}"/>${cells.join('')}</g>`
  )
}

const text = (x: number, y: number, size: number, value: string): string =>
  `<text x="${x}" y="${y}" font-size="${size}" font-family="Helvetica, Arial, sans-serif" ` +
  `fill="${INK}">${value.replaceAll('&', '&amp;').replaceAll('<', '&lt;')}</text>`

function checkBar(x: number, y: number): string {
  return (
    `<g data-check-bar="${CHECK_BAR_MM}"><path d="M${x} ${y}h${CHECK_BAR_MM}M${x} ` +
    `${y - 2}v4M${x + CHECK_BAR_MM} ${y - 2}v4M${x + CHECK_BAR_MM / 2} ${y - 1}v2" ` +
    `stroke="${INK}" stroke-width="0.25" ` +
    `fill="none"/>${text(x, y + 5, 3, `${CHECK_BAR_MM} mm: measure this before use. Print at 100 %, “actual size”.`)}</g>`
  )
}

function page(widthMm: number, heightMm: number, body: string): Sheet {
  return {
    widthMm,
    heightMm,
    svg:
      `<svg xmlns="http://www.w3.org/2000/svg" width="${widthMm}mm" height="${heightMm}mm" ` +
      `viewBox="0 0 ${widthMm} ${heightMm}"><rect width="${widthMm}" height="${heightMm}" ` +
      `fill="#fff"/>${body}</svg>\n`,
  }
}

/** The smallest usual page the content fits on, else one of its own size. */
export function pageFor(widthMm: number, heightMm: number): [number, number] {
  for (const [w, h] of [
    [210, 297],
    [297, 210],
    [297, 420],
    [420, 297],
  ] as const)
    if (widthMm <= w && heightMm <= h) return [w, h]
  return [Math.ceil(widthMm), Math.ceil(heightMm)]
}

/** The mat: dots, foot of the piece, coded corner marks, check bar. */
export function matSheet(layout: DotLayout, settings: DotSettings, footRadiusMm: number, title: string): Sheet {
  const edge = settings.matMm
  const [w, h] = pageFor(edge + 2 * BORDER_MM, edge + 2 * BORDER_MM + 14)
  const left = (w - edge) / 2,
    top = BORDER_MM
  const cx = left + edge / 2,
    cy = top + edge / 2
  const far = edge - CORNER_MARK_MM - 4
  const marks = [
    [0, 4, 4],
    [1, far, 4],
    [2, far, far],
    [3, 4, far],
  ].map(([id, x, y]) => codedMark(id, left + x, top + y, CORNER_MARK_MM))
  const dots: string[] = []
  // Seen from above, y away from the reader; paper counts y downward.
  for (let i = 0; i < layout.positions.length; i += 3)
    dots.push(
      `<circle cx="${(cx + layout.positions[i]).toFixed(3)}" ` +
        `cy="${(cy - layout.positions[i + 1]).toFixed(3)}" r="${settings.diameterMm / 2}" ` +
        `fill="${INK}" data-dot="${i / 3}"/>`,
    )
  return page(
    w,
    h,
    [
      `<rect x="${left}" y="${top}" width="${edge}" height="${edge}" fill="none" stroke="${INK}" stroke-width="0.2"/>`,
      `<circle cx="${cx}" cy="${cy}" r="${footRadiusMm}" fill="none" stroke="${INK}" ` +
        'stroke-width="0.2" stroke-dasharray="2 2"/>',
      ...marks,
      ...dots,
      checkBar(left, top + edge + 8),
      text(left, top - 4, 3.5, `${title}: mat with ${dots.length} dots of ${settings.diameterMm} mm`),
    ].join(''),
  )
}

/**
 * The stands as cut-outs: two slanted faces and a foot that is glued under, folded along the dashed lines. One page for
 * every two stands.
 */
export function standSheets(
  layout: DotLayout,
  settings: DotSettings,
  stands: readonly Stand[],
  title: string,
): Sheet[] {
  const out: Sheet[] = []
  for (let first = 0; first < stands.length; first += 2) {
    const [w, h] = [210, 297]
    const body = stands
      .slice(first, first + 2)
      .map((stand, k) => standNet(layout, settings, stand, first + k, 18 + k * 95, 24))
    out.push(
      page(
        w,
        h,
        [
          ...body,
          checkBar(18, h - 20),
          text(
            18,
            14,
            3.5,
            `${title}: stands ${first + 1}${first + 1 < stands.length ? ` and ${first + 2}` : ''}; cut ` +
              'along the line, fold along the dashes, glue the flap',
          ),
        ].join(''),
      ),
    )
  }
  return out
}

function standNet(layout: DotLayout, settings: DotSettings, stand: Stand, index: number, x: number, y: number): string {
  const slant = (stand.slantDeg * Math.PI) / 180
  const face = stand.heightMm / Math.sin(slant),
    foot = (2 * stand.heightMm) / Math.tan(slant)
  const total = 2 * face + foot + 8
  const parts = [
    `<rect x="${x}" y="${y}" width="${stand.widthMm}" height="${total}" fill="none" ` +
      `stroke="${INK}" stroke-width="0.25"/>`,
  ]
  for (const fold of [face, 2 * face, 2 * face + foot])
    parts.push(
      `<path d="M${x} ${y + fold}h${stand.widthMm}" stroke="${INK}" stroke-width="0.2" stroke-dasharray="2 2"/>`,
    )
  const heading = (stand.headingDeg * Math.PI) / 180
  for (let i = 0; i < layout.positions.length / 3; i++) {
    if (layout.stand?.[i] !== index) continue
    const dx = layout.positions[i * 3] - stand.x,
      dy = layout.positions[i * 3 + 1] - stand.y
    const across = -dx * Math.sin(heading) + dy * Math.cos(heading)
    const outward = dx * Math.cos(heading) + dy * Math.sin(heading)
    const upFace = layout.positions[i * 3 + 2] / Math.sin(slant)
    // The strip runs up the first face to the ridge and down the second; folding leaves its sideways coordinate as it
    // is.
    const px = x + stand.widthMm / 2 - across,
      py = outward > 0 ? y + upFace : y + face + (face - upFace)
    parts.push(
      `<circle cx="${px.toFixed(3)}" cy="${py.toFixed(3)}" r="${settings.diameterMm / 2}" ` +
        `fill="${INK}" data-dot="${i}"/>`,
    )
  }
  return parts.join('')
}
