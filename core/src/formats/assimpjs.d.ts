/** The little of assimpjs that the tests use; the package brings no types. */
declare module 'assimpjs' {
  interface FileList {
    AddFile(name: string, content: Uint8Array): void
  }
  interface Result {
    IsSuccess(): boolean
    GetErrorCode(): string
    GetFile(index: number): { GetContent(): Uint8Array }
  }
  export default function assimpjs(): Promise<{
    FileList: new () => FileList
    ConvertFileList(list: FileList, format: string): Result
  }>
}
