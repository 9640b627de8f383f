declare module 'draco3dgltf' {
  const draco: {
    createDecoderModule(options?: object): Promise<unknown>
    createEncoderModule(options?: object): Promise<unknown>
  }
  export default draco
}
