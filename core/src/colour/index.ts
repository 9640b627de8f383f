/* Colour: what photos say of a surface. The ways into this room for the other workspaces. */
export { bakePhotos, type Baked, type PhotoSource } from './bake-photos'
export { ciede2000, labOfBytes, labOfLight } from './ciede2000'
export { byteOf, LIGHT_OF, toLight, toWritten } from './srgb'
export { cameraOf, cameraRecordsSchema, recordOf, type CameraRecord } from './camera-record'
export { project, STRAIGHT, type Camera } from '../view/camera'
