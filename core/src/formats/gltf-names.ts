/** The bytes of a data URI (RFC 2397), null for other addresses. */
export function dataOf(uri: string): Uint8Array<ArrayBuffer> | null {
  const data = /^data:[^,]*;base64,/.exec(uri)
  return data && Uint8Array.from(atob(uri.slice(data[0].length)), (c) => c.charCodeAt(0))
}

/** A relative address as the name it stands for. */
export function decodedName(uri: string): string {
  try {
    return decodeURIComponent(uri)
  } catch {
    return uri
  }
}
