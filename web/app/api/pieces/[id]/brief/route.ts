import { writeBrief } from '@holosoma/engine'
import { savesDocument } from '@/lib/document-route'

/** The brief. */
export const PUT = savesDocument(writeBrief)
