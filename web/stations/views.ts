'use client'
import { briefView } from './brief/view'
import { planView } from './plan/view'
import { takeView } from './take/view'
import { tidyView } from './tidy/view'
import { joinView } from './join/view'
import { skinView } from './skin/view'
import { mendView } from './mend/view'
import { colourView } from './colour/view'
import { sizeView } from './size/view'
import { releaseView } from './release/view'
import type { StationView } from './station-view'
import type { Station } from '@/lib/station-names'

/** The stations as they look, in the order of the route. */
export const VIEWS: Readonly<Record<Station, StationView>> = {
  brief: briefView,
  plan: planView,
  take: takeView,
  tidy: tidyView,
  join: joinView,
  skin: skinView,
  mend: mendView,
  colour: colourView,
  size: sizeView,
  release: releaseView,
}
