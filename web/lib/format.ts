export const grouped = (v: number): string => Math.round(v).toLocaleString('en')
export const mm = (v: number, digits = 2): string => `${v.toFixed(digits)} mm`
export const percent = (v: number, digits = 1): string => `${(v * 100).toFixed(digits)} %`

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
  return bytes >= 2 ** 30 ? `${(bytes / 2 ** 30).toFixed(1)} GB` : `${Math.max(1, Math.round(bytes / 2 ** 20))} MB`
}
