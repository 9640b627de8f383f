/** The little of exif-parser that the tests use; the package brings no types. */
declare module 'exif-parser' {
  interface Result {
    readonly tags: Readonly<Record<string, string | number>>
    getImageSize(): { width: number; height: number }
  }
  const parser: { create(bytes: Uint8Array): { parse(): Result } }
  export default parser
}
