import { grouped } from '@holosoma/core/findings'

export { areaText, grouped, mm, percent, volumeText } from '@holosoma/core/findings'

/** 0.31 M, 566 k, 820. */
export function short(v: number): string {
  if (v >= 1e6) return `${(v / 1e6).toFixed(2)} M`
  if (v >= 1e4) return `${Math.round(v / 1e3)} k`
  return grouped(v)
}

/** 0:14, 2:05. */
export function clock(seconds: number): string {
  const s = Math.max(0, Math.round(seconds))
  return `${Math.floor(s / 60)}:${String(s % 60).padStart(2, '0')}`
}

export function megabytes(bytes: number): string {
  if (bytes >= 2 ** 30) return `${(bytes / 2 ** 30).toFixed(1)} GB`
  return bytes < 2 ** 20 ? 'less than 1 MB' : `${Math.round(bytes / 2 ** 20)} MB`
}

const UNITS: readonly (readonly [RegExp, string])[] = [
  [/Mm3$/, 'mm³'],
  [/Mm2$/, 'mm²'],
  [/Mm$/, 'mm'],
  [/Deg$/, '°'],
]

/** A step's figure in words: tableRmsMm 0.04166 → "table rms 0.0417 mm". */
export function figureText(key: string, value: number): string {
  const unit = UNITS.find(([ending]) => ending.test(key))
  const words = key
    .replace(unit?.[0] ?? /$^/, '')
    .replace(/([a-z0-9])([A-Z])/g, '$1 $2')
    .toLowerCase()
  const number = Number.isInteger(value)
    ? grouped(value)
    : String(Number(value.toPrecision(Math.abs(value) >= 1000 ? 6 : 4)))
  return `${words} ${number}${unit ? ` ${unit[1]}` : ''}`
}
