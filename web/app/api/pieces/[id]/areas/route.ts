import { writeAreas } from '@holosoma/engine'
import { savesDocument } from '@/lib/document-route'

/** The areas on the piece. */
export const PUT = savesDocument(writeAreas)
