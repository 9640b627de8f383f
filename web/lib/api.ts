import type { Calibration } from '@holosoma/core/bench'
import type { ImportPreset } from '@holosoma/core/measure'
import type { Act, Base, ResultState, Space, StoredAcceptance, StoredDevice } from '@holosoma/engine'

/** Calls the server; a refusal comes back as an Error whose message is meant for the person. */
async function call<T>(url: string, init?: RequestInit): Promise<T> {
  let response: Response
  try {
    response = await fetch(url, init)
  } catch {
    throw new Error('Holosoma’s server does not answer. Is it still running in its terminal?')
  }
  const value = (await response.json().catch(() => ({}))) as T & { error?: string }
  if (!response.ok)
    throw Object.assign(new Error(value.error ?? 'That did not work; nothing was changed.'), {
      status: response.status,
    })
  return value
}

const json = (method: string, value: unknown): RequestInit => ({
  method,
  headers: { 'Content-Type': 'application/json' },
  body: JSON.stringify(value),
})

/** Bytes as they are; the server's door takes them by this name only. */
const octets = (body: BodyInit): RequestInit => ({
  method: 'POST',
  headers: { 'Content-Type': 'application/octet-stream' },
  body,
})

export interface JobRequest {
  operation: string
  params?: object
  takeId?: number
  takeName?: string
  pose?: string
  /** A skin that is to stand beside the one there is. */
  beside?: boolean
}

/** What a plan comes to, in a word and a few figures, for the route and the shelf. */
export interface Outlook {
  verdict: 'sound' | 'doubtful' | 'unsound'
  figure: string
  text: string
}

/** What the machine that computes has room for, and how quick it is. */
export interface Machine {
  secondsPerMillion: number | null
  secondsPerUnit: Record<'skin.make' | 'mend.simplify', number | null>
  memoryBytes: number
}

export const api = {
  createPiece: (name: string, number: string) => call<{ id: number }>('/api/pieces', json('POST', { name, number })),
  updatePiece: (id: number, change: { name?: string; number?: string; binned?: boolean }) =>
    call(`/api/pieces/${id}`, json('PATCH', change)),
  pieceBytes: (id: number) => call<{ bytes: number }>(`/api/pieces/${id}?as=bytes`),
  removePiece: (id: number) => call(`/api/pieces/${id}`, { method: 'DELETE' }),
  submit: (pieceId: number, job: JobRequest) => call<{ id: number }>(`/api/pieces/${pieceId}/jobs`, json('POST', job)),
  /** @param planned the planned take the file is of; without one it is a take of its own name */
  importFile: (pieceId: number, file: File, preset: ImportPreset, planned?: string) =>
    call<{ ids: number[]; refused: string[] }>(
      `/api/pieces/${pieceId}/imports?name=${encodeURIComponent(file.name)}&unit=${preset.unit}&up=${preset.up}` +
        (planned === undefined ? '' : `&take=${encodeURIComponent(planned)}`),
      octets(file),
    ),
  storeFrame: (pieceId: number, file: File) =>
    call<{ upload: string }>(
      `/api/pieces/${pieceId}/imports?store=1&name=${encodeURIComponent(file.name)}`,
      octets(file),
    ),
  /** A file that was stored, with those it names, as one take. */
  importModel: (
    pieceId: number,
    name: string,
    upload: string,
    companions: readonly { name: string; upload: string }[],
    preset: ImportPreset,
  ) => call<{ id: number }>(`/api/pieces/${pieceId}/models`, json('POST', { name, upload, companions, preset })),
  importFrames: (pieceId: number, name: string, poses: string, frames: readonly { file: string; upload: string }[]) =>
    call<{ id: number }>(`/api/pieces/${pieceId}/frames`, json('POST', { name, poses, frames })),
  keepSelection: (pieceId: number, of: string, bits: Uint8Array) =>
    call<{ selection: string }>(`/api/pieces/${pieceId}/selections?of=${of}`, octets(bits as BodyInit)),
  tidyTakes: (
    pieceId: number,
    takeIds: readonly number[],
    steps: readonly { operation: string; params: object }[] | null,
  ) => call<{ ids: number[] }>(`/api/pieces/${pieceId}/recipes`, json('POST', { takeIds, steps })),
  /** The whole road by one press. */
  goAllTheWay: (pieceId: number) => call<{ id: number }>(`/api/pieces/${pieceId}/road`, { method: 'POST' }),
  nameSelection: (pieceId: number, kept: { takeId: number; name: string; selection: string; chosen: number }) =>
    call(`/api/pieces/${pieceId}/selections/kept`, json('POST', kept)),
  dropSelection: (pieceId: number, id: number) =>
    call(`/api/pieces/${pieceId}/selections/kept?id=${id}`, { method: 'DELETE' }),
  leaveProposal: (takeId: number, act: string) =>
    call<{ step: number }>(`/api/takes/${takeId}/leave`, json('POST', { act })),
  duplicateTake: (pieceId: number, id: number) =>
    call<{ id: number; name: string }>(`/api/takes/${id}/copy`, json('POST', { pieceId })),
  pieces: () => call<{ id: number; name: string; binned: boolean }[]>('/api/pieces'),
  resultsOf: (pieceId: number) => call<ResultState[]>(`/api/pieces/${pieceId}/results`),
  deriveResult: (pieceId: number, from: number) =>
    call<{ id: number; name: string }>(`/api/pieces/${pieceId}/results`, json('POST', { from })),
  updateResult: (
    id: number,
    change: { name?: string; purpose?: string; note?: string; shown?: true; binned?: boolean; hidden?: boolean },
  ) => call(`/api/results/${id}`, json('PATCH', change)),
  /** Does the acts of the skin before again, but for some; or those of another piece's result. */
  doAgain: (id: number, leave: readonly number[], of: number | null = null) =>
    call<{ id: number }>(`/api/results/${id}/again`, json('POST', { leave, of })),
  takePhotos: (
    pieceId: number,
    asked: { take: string; perTurn: number; intervalSeconds: number; stops: number; missingOnly: boolean },
  ) => call<{ id: number }>(`/api/pieces/${pieceId}/photos`, json('POST', asked)),
  importPhotos: (pieceId: number, files: readonly { name: string; upload: string }[], takeId: number | null) =>
    call<{ id: number }>(`/api/pieces/${pieceId}/photos`, json('POST', { files, takeId })),
  history: (pieceId: number, move: 'undo' | 'redo') =>
    call<{ step: number | null }>(`/api/pieces/${pieceId}/history`, json('POST', { move })),
  saveDocument: (
    pieceId: number,
    kind: 'brief' | 'plan' | 'areas' | 'parts',
    content: object,
    outlook: Outlook | null,
    base?: Base | null,
  ) =>
    call<Base>(
      `/api/pieces/${pieceId}/${kind}`,
      json('PUT', { content, ...(outlook && { outlook }), ...(base !== undefined && { base }) }),
    ),
  acts: (pieceId: number) => call<{ acts: Act[] }>(`/api/pieces/${pieceId}/acts`),
  house: () => call<{ space: Space; acts: Act[] }>('/api/house'),
  benchEvent: (pieceId: number, event: object) => call(`/api/pieces/${pieceId}/session`, json('POST', { event })),
  calibrate: (pieceId: number, mode: 'near' | 'far') =>
    call<{ result: Calibration }>(`/api/pieces/${pieceId}/session`, json('POST', { calibrate: mode })),
  devices: () => call<{ devices: StoredDevice[] }>('/api/devices'),
  saveDevices: (devices: readonly object[]) =>
    call<{ devices: StoredDevice[] }>('/api/devices', json('PUT', { devices })),
  removeDevice: (id: string) => call(`/api/devices?id=${encodeURIComponent(id)}`, { method: 'DELETE' }),
  deviceTests: (id: string) => call<{ tests: StoredAcceptance[] }>(`/api/devices/${encodeURIComponent(id)}/tests`),
  testDevice: (id: string, warmK: number) =>
    call<{ tests: StoredAcceptance[] }>(`/api/devices/${encodeURIComponent(id)}/tests`, json('POST', { warmK })),
  machine: () => call<Machine>('/api/machine'),
  cancelJob: (id: number) => call(`/api/jobs/${id}`, { method: 'DELETE' }),
  holdJob: (id: number, hold: 'none' | 'pause' | 'stop') => call(`/api/jobs/${id}`, json('PATCH', { hold })),
  updateTake: (
    id: number,
    change: {
      name?: string
      was?: string
      hidden?: boolean
      inJoin?: boolean
      inSkin?: boolean
      binned?: boolean
      pose?: string
      locked?: boolean
      fixed?: true
      bench?: boolean
      keepBase?: boolean
      pigment?: number | null
    },
  ) => call(`/api/takes/${id}`, json('PATCH', change)),
  /** All of them as one, or none. */
  updateTakes: (
    pieceId: number,
    takeIds: readonly number[],
    change: {
      hidden?: boolean
      locked?: boolean
      inJoin?: boolean
      inSkin?: boolean
      binned?: boolean
      pose?: string
    },
  ) => call(`/api/pieces/${pieceId}/takes`, json('PATCH', { takeIds, ...change })),
  /** How much is kept for it alone. */
  bytesOf: (what: 'take' | 'result', id: number) => call<{ bytes: number }>(`/api/${what}s/${id}`),
  removeForGood: (what: 'take' | 'result', id: number) => call(`/api/${what}s/${id}`, { method: 'DELETE' }),
}
