/** JSON columns come as text from MariaDB. */
export function parseJson<T>(value: T | string): T {
  return typeof value === 'string' ? (JSON.parse(value) as T) : value
}
