'use client'
import type { Column, Content, TDocumentDefinitions } from 'pdfmake/interfaces'
import type { Brief } from '@holosoma/core/brief'
import type { Finding } from '@holosoma/core/findings'
import type { Plan, RunSheet } from '@holosoma/core/plan'

interface SheetInput {
  title: string
  sample: boolean
  brief: Brief
  plan: Plan
  version: number
  sheet: RunSheet
  drawings: readonly string[]
  findings: readonly Finding[]
}

const GREY = '#5b6168'
const box = (label: string): Column => ({
  width: 'auto',
  columns: [
    { width: 10, canvas: [{ type: 'rect', x: 0, y: 1.5, w: 8, h: 8, lineWidth: 0.7 }] },
    { width: 'auto', text: label, fontSize: 9 },
  ],
  columnGap: 3,
})

/** The run sheet as a document: A4, the same steps as on the page. */
export function runSheetDocument({
  title,
  sample,
  brief,
  plan,
  version,
  sheet,
  drawings,
  findings,
}: SheetInput): TDocumentDefinitions {
  const steps: Content[] = sheet.steps.map((s): Content => ({
    unbreakable: true,
    margin: [0, 6, 0, 2],
    stack: [
      { canvas: [{ type: 'line', x1: 0, y1: 0, x2: 515, y2: 0, lineWidth: 0.4, lineColor: '#b9b09b' }] },
      {
        columns: [
          { width: 22, text: String(s.number), fontSize: 14, bold: true },
          {
            width: '*',
            stack: [
              {
                columns: [
                  { text: s.title, bold: true, fontSize: 11 },
                  { width: 40, text: s.at, alignment: 'right', color: GREY },
                ],
              },
              ...s.lines.map((l): Content => ({ text: l })),
              ...(s.caution
                ? [
                    {
                      text: [{ text: 'Caution. ', bold: true }, s.caution.text, ' ', sheet.defer],
                      fontSize: 8.5,
                      margin: [6, 2, 0, 0],
                    } as Content,
                  ]
                : []),
              ...(s.title === 'Callipers' && brief.callipers.length > 0 ? [callipers(brief)] : []),
              { columns: s.checks.map(box), columnGap: 12, margin: [0, 4, 0, 0] },
            ],
          },
          ...(s.take !== null ? [{ width: 150, svg: drawings[s.take], fit: [150, 90] } as Content] : []),
        ],
        columnGap: 8,
        margin: [0, 4, 0, 0],
      },
    ],
  }))
  return {
    info: { title: `${title}, run sheet` },
    pageSize: 'A4',
    pageMargins: [40, 40, 40, 44],
    defaultStyle: { font: 'Roboto', fontSize: 10, lineHeight: 1.15 },
    footer: (page, pages) => ({
      text: `${title}, run sheet, plan version ${version}, page ${page} of ${pages}`,
      alignment: 'center',
      fontSize: 8,
      color: GREY,
      margin: [0, 12, 0, 0],
    }),
    content: [
      { text: 'Holosoma, run sheet', color: GREY },
      { text: title, fontSize: 20, bold: true },
      ...(sample ? [{ text: 'Sample data: an invented piece.', color: GREY }] : []),
      {
        text:
          `${brief.lengthMm} × ${brief.widthMm} × ${brief.heightMm} mm. ${plan.device.name}. ` +
          `${plan.startAt} to ${sheet.ends}, ${Math.round(sheet.minutes)} min.`,
        margin: [0, 2, 0, 6],
      },
      ...findings.slice(0, 4).map((f): Content => ({
        columns: [
          { width: 60, text: f.verdict, bold: true },
          { width: '*', text: f.text },
        ],
        margin: [0, 1, 0, 1],
      })),
      {
        table: { widths: [120, '*'], body: sheet.permissions.map((p) => [{ text: p.name, color: GREY }, p.text]) },
        layout: 'lightHorizontalLines',
        margin: [0, 8, 0, 4],
        fontSize: 9,
      },
      ...steps,
      { text: 'Cautions', bold: true, margin: [0, 12, 0, 2] },
      ...sheet.cautions.map((c): Content => ({ text: c.text, fontSize: 9, margin: [0, 0, 0, 3] })),
      { text: sheet.defer, fontSize: 9, bold: true },
    ],
  }
}

function callipers(brief: Brief): Content {
  return {
    table: {
      widths: ['*', '*', '*', 70, 40, '*'],
      body: [
        ['Distance', 'from', 'to', 'reading, mm', '±', 'with'].map((t) => ({ text: t, color: GREY })),
        ...brief.callipers.map((c) => [
          c.name,
          c.from,
          c.to,
          c.readingMm === null ? '________' : String(c.readingMm),
          c.uncertaintyMm === null ? '____' : String(c.uncertaintyMm),
          c.instrument,
        ]),
      ],
    },
    layout: 'lightHorizontalLines',
    fontSize: 9,
    margin: [0, 4, 0, 2],
  }
}

export async function runSheetPdf(input: SheetInput): Promise<Blob> {
  const { makePdf } = await import('./pdf')
  return makePdf(runSheetDocument(input))
}
