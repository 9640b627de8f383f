import type { ComponentType } from 'react'

/** What the page hands to a station's panel. */
export interface PanelProps {
  /** How many of the files that were dropped have been sent; null while none are on their way. */
  readonly sending: readonly [done: number, of: number] | null
  readonly onChooseFiles: () => void
  readonly onChooseFolder: () => void
}

/** Something that can be done at a station, for whoever looks for it by a word; the station is opened in any case. */
export interface StationCommand {
  /** In our words. */
  readonly name: string
  /** What else it is called in the field. */
  readonly terms: string
  /** Does it, once the station is open. */
  run?(): void
  /** Opens the group of the card with this title, where it is set and done. */
  readonly opens?: string
}

/** How a station looks and listens. */
export interface StationView {
  /** On the card. */
  readonly Panel: ComponentType<PanelProps>
  /** On the stage. */
  readonly Stage: ComponentType
  /** Once there is a skin, it stands on the stage instead, and keeps its view from one such station to the next. */
  readonly showsSkin?: true
  /** In the place of the contact sheet. */
  readonly Sheet?: ComponentType
  /** At work while the station is open, drawing nothing itself. */
  readonly Engine?: ComponentType
  /** What the key sheet says of it: key, what it does. */
  readonly keys?: readonly (readonly [string, string])[]
  /** What the palette finds of it. */
  readonly commands?: readonly StationCommand[]
  /** Takes a key that was pressed outside any field; false: it is none of this station's. */
  readonly onKey?: (key: string) => boolean
}
