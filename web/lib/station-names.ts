export const STATIONS = ['brief', 'plan', 'take', 'tidy', 'join', 'skin', 'mend', 'colour', 'size', 'release'] as const
export type Station = (typeof STATIONS)[number]

export const STATION_NAMES: Readonly<Record<Station, string>> = {
  brief: 'Brief',
  plan: 'Plan',
  take: 'Take',
  tidy: 'Tidy',
  join: 'Join',
  skin: 'Skin',
  mend: 'Mend',
  colour: 'Colour',
  size: 'Size',
  release: 'Release',
}
