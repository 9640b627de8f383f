declare module 'js-aruco2' {
  export namespace AR {
    class Dictionary {
      constructor(name: string)
      generateSVG(id: number): string
    }
    class Detector {
      constructor(config?: { dictionaryName?: string; maxHammingDistance?: number })
      detect(image: {
        width: number
        height: number
        data: Uint8Array | Uint8ClampedArray
      }): { id: number; corners: { x: number; y: number }[] }[]
    }
  }
}
