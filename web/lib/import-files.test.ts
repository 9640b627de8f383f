import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { api } from './api'
import { importFiles, readable, type Dropped } from './import-files'

const preset = { unit: 'auto', up: 'auto' } as unknown as Parameters<typeof importFiles>[2]
const file = (name: string, folder = '', text = ''): Dropped => ({ file: new File([text], name), folder })
const heard: string[] = []
beforeEach(() => {
  heard.length = 0
  vi.spyOn(api, 'importFile').mockImplementation((_p, f) => {
    heard.push(`take ${f.name}`)
    return Promise.resolve({ ids: [1], refused: f.name.startsWith('bad') ? [`“${f.name}” is no scan.`] : [] })
  })
  vi.spyOn(api, 'storeFrame').mockImplementation((_p, f) => {
    heard.push(`store ${f.name}`)
    return f.name.startsWith('lost')
      ? Promise.reject(new Error(`“${f.name}” did not arrive.`))
      : Promise.resolve({ upload: `u-${f.name}` })
  })
  vi.spyOn(api, 'importFrames').mockImplementation((_p, name, poses, frames) => {
    heard.push(`frames ${name}: ${poses} ${frames.map((f) => `${f.file}=${f.upload}`).join()}`)
    return Promise.resolve({ id: 2 })
  })
  vi.spyOn(api, 'importModel').mockImplementation((_p, name, upload, companions) => {
    heard.push(`model ${name}=${upload} with ${companions.map((c) => `${c.name}=${c.upload}`).join()}`)
    return Promise.resolve({ id: 4 })
  })
  vi.spyOn(api, 'importPhotos').mockImplementation((_p, files, take) => {
    heard.push(`photos ${files.map((f) => f.name).join()} of ${take}`)
    return Promise.resolve({ id: 3 })
  })
})
afterEach(() => vi.restoreAllMocks())

describe('files that come in', () => {
  test('each scan is a take; photos go together to the take that is chosen; progress counts them all', async () => {
    const progress: string[] = []
    const refused = await importFiles(
      7,
      [file('a.ply'), file('1.jpg'), file('b.STL'), file('2.PNG')],
      preset,
      4,
      (done, of) => progress.push(`${done}/${of}`),
    )
    expect(refused).toEqual([])
    expect(heard).toEqual(['take a.ply', 'store 1.jpg', 'take b.STL', 'store 2.PNG', 'photos 1.jpg,2.PNG of 4'])
    expect(progress).toEqual(['1/4', '2/4', '3/4', '4/4'])
  })
  test('a folder with a list of poses is one take of its frames, whatever else lies in it', async () => {
    const list = [
      file('poses.txt', 'turn', '[]'),
      file('f0.ply', 'turn'),
      file('notes.md', 'turn'),
      file('f1.ply', 'turn'),
    ]
    expect(await importFiles(7, list, preset, null, () => undefined)).toEqual([])
    expect(heard).toEqual(['store f0.ply', 'store f1.ply', 'frames turn: [] f0.ply=u-f0.ply,f1.ply=u-f1.ply'])
  })
  test('in a folder what is of no use is passed over; a folder of nothing is named; single files are tried and refused by name', async () => {
    const refused = await importFiles(
      7,
      [file('a.ply', 'one'), file('readme.md', 'one'), file('todo.md', 'two'), file('bad.doc')],
      preset,
      null,
      () => undefined,
    )
    expect(heard).toEqual(['take a.ply', 'take bad.doc'])
    expect(refused).toEqual(['There is no scan file and no photo in the folder “two”.', '“bad.doc” is no scan.'])
  })
  test('what fails on the way is told, and the rest comes in all the same', async () => {
    const refused = await importFiles(
      7,
      [file('lost.jpg'), file('ok.jpg'), file('poses.txt', 'turn', '[]'), file('lost.ply', 'turn'), file('a.ply')],
      preset,
      null,
      () => undefined,
    )
    expect(refused).toEqual(['“lost.jpg” did not arrive.', '“lost.ply” did not arrive.'])
    expect(heard.slice(-2)).toEqual(['store lost.ply', 'photos ok.jpg of null'])
    expect(heard).toContain('take a.ply')
  })
  test('a shape goes in with its list of materials and its pictures; other pictures are photos', async () => {
    const list = [
      file('1.jpg'),
      file('Lamp.JPG'),
      file('lamp.mtl', '', 'newmtl a\nmap_Kd -clamp on tex\\lamp.jpg\n'),
      file('lamp.obj', '', 'mtllib ./lamp.mtl\nv 0 0 0\n'),
      file('jug.gltf', '', '{"buffers":[{"uri":"jug%201.bin"}],"images":[{"uri":"data:image/png;base64,AA"}]}'),
      file('jug 1.bin'),
      file('alone.obj', '', 'mtllib none.mtl\n'),
    ]
    expect(await importFiles(7, list, preset, 4, () => undefined)).toEqual([])
    expect(heard.filter((h) => !h.startsWith('store'))).toEqual([
      'model lamp.obj=u-lamp.obj with lamp.mtl=u-lamp.mtl,Lamp.JPG=u-Lamp.JPG',
      'model jug.gltf=u-jug.gltf with jug 1.bin=u-jug 1.bin',
      'take alone.obj',
      'photos 1.jpg of 4',
    ])
  })
  test('which files can be read goes by their ending, in any case', () => {
    expect(['x.ply', 'x.GLB', 'x.zip', 'x.3mf', 'x.xyz'].map(readable)).toEqual([true, true, true, true, true])
    expect(['x.doc', 'ply', 'x'].map(readable)).toEqual([false, true, false])
  })
})

describe('the server’s words', () => {
  afterEach(() => vi.unstubAllGlobals())
  const answer = (status: number, body: string) =>
    vi.stubGlobal('fetch', () => Promise.resolve(new Response(body, { status })))
  test('reach the person; without any there is a sentence all the same', async () => {
    answer(422, JSON.stringify({ error: 'The take is locked.' }))
    await expect(api.cancelJob(1)).rejects.toThrow('The take is locked.')
    answer(502, '<html>')
    await expect(api.cancelJob(1)).rejects.toThrow('That did not work; nothing was changed.')
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('fetch failed')))
    await expect(api.cancelJob(1)).rejects.toThrow('server does not answer')
  })
})
