/** A colour of the page as it is now, by day or night, for what is drawn outside its styles: charts, the stage. */
export function ink(name: 'graphite' | 'floor-fine' | 'floor-heavy' | 'floor-text', otherwise: string): string {
  if (typeof document === 'undefined') return otherwise
  return getComputedStyle(document.documentElement).getPropertyValue(`--color-${name}`).trim() || otherwise
}
