import { writeParts } from '@holosoma/engine'
import { savesDocument } from '@/lib/document-route'

/** The parts of the skin that are kept by name. */
export const PUT = savesDocument(writeParts)
