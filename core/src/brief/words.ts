import type { AreaRank, Finish, PermissionName, Place, Purpose, Tone, Trait } from './brief'

/* The words of the brief on screens and on paper. */

export const PURPOSE_WORDS: Readonly<Record<Purpose, string>> = {
  print: 'Print a copy',
  printScaled: 'Print at another scale',
  fit: 'Make a part that fits',
  show: 'Show it',
  archive: 'Archive it',
  check: 'Check against a design',
}
export const RANK_WORDS: Readonly<Record<AreaRank, string>> = {
  must: 'must hold',
  nice: 'nice to have',
  leave: 'leave',
  cut: 'will be cut off',
}
export const FINISH_WORDS: Readonly<Record<Finish, string>> = {
  matt: 'matt',
  satin: 'satin',
  gloss: 'gloss',
  metal: 'bare metal',
  clear: 'clear or translucent',
}
export const TONE_WORDS: Readonly<Record<Tone, string>> = {
  dark: 'dark',
  darkish: 'rather dark',
  middle: 'middle',
  light: 'light',
  pale: 'pale',
}
export const TRAIT_WORDS: Readonly<Record<Trait, string>> = {
  round: 'round or turned',
  slab: 'a slab or plate',
  hollow: 'deep hollows or channels',
  undercut: 'undercuts',
  thin: 'thin parts',
  loose: 'loose or soft parts',
}
export const PERMISSION_WORDS: Readonly<Record<PermissionName, string>> = {
  touch: 'Touch it',
  turn: 'Turn it over',
  coat: 'Coat it',
  dots: 'Dots on its surface',
  putty: 'Putty under it',
}
export const PLACE_WORDS: Readonly<Record<Place, string>> = {
  whole: 'all of it',
  top: 'the top',
  underside: 'the underside',
  sides: 'the sides',
  inside: 'inside the hollow',
  band: 'a band of height',
  painted: 'painted on the stand-in',
}
