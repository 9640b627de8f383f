'use client'
import type { Sheet } from '@holosoma/core/plan'

/** Hands a file made on this page to the person. */
export function download(name: string, content: Blob): void {
  const url = URL.createObjectURL(content)
  const link = document.createElement('a')
  link.href = url
  link.download = name
  link.click()
  setTimeout(() => URL.revokeObjectURL(url), 10_000)
}

export const MM_TO_PT = 72 / 25.4

/** Drawings at true size, one a page, each page of the drawing's own size. */
export async function sheetsToPdf(sheets: readonly Sheet[]): Promise<Blob> {
  const { makePdf } = await import('./pdf')
  const [first] = sheets
  const same = sheets.every((s) => s.widthMm === first.widthMm && s.heightMm === first.heightMm)
  if (!same) throw new Error('The sheets differ in size.')
  return makePdf({
    pageSize: { width: first.widthMm * MM_TO_PT, height: first.heightMm * MM_TO_PT },
    pageMargins: 0,
    content: sheets.map((s, i) => ({
      svg: s.svg,
      width: s.widthMm * MM_TO_PT,
      height: s.heightMm * MM_TO_PT,
      ...(i > 0 && { pageBreak: 'before' as const }),
    })),
    images: {},
    defaultStyle: { font: 'Roboto' },
  })
}
