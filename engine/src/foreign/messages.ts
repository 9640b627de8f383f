import type { GeometryErrorCode } from '@holosoma/core'
import type { PhotoFacts } from './photo'
import type { Head } from './frames'

/** What the reading process is asked: the file itself follows as the frame's bytes. */
export interface Asked extends Head {
  /** A companion is kept for the shape that is asked for next, and answered by nothing. */
  readonly kind: 'shape' | 'photo' | 'archive' | 'companion'
  readonly name: string
}

/** What it answers. A shape comes as a glTF binary of our own; an archive as an entry a frame, then `end`. */
export type Answered = Head &
  (
    | { readonly type: 'shape'; readonly left: readonly (readonly [string, number])[] }
    | { readonly type: 'photo'; readonly photo: PhotoFacts }
    | { readonly type: 'entry'; readonly name: string }
    | { readonly type: 'end' }
    | { readonly type: 'refused'; readonly code: GeometryErrorCode; readonly message: string }
    | { readonly type: 'fault'; readonly message: string }
  )
