'use client'
import pdfMake from 'pdfmake/build/pdfmake'
import fonts from 'pdfmake/build/vfs_fonts'
import type { TDocumentDefinitions } from 'pdfmake/interfaces'

let ready = false

/** A document laid out on this page; its fonts ship with the application. */
export async function makePdf(definition: TDocumentDefinitions): Promise<Blob> {
  if (!ready) {
    ;(pdfMake as unknown as { addVirtualFileSystem(vfs: unknown): void }).addVirtualFileSystem(fonts)
    ready = true
  }
  return (pdfMake.createPdf(definition) as unknown as { getBlob(): Promise<Blob> }).getBlob()
}
