import createClient from 'openapi-fetch'
import type { components, paths } from './schema'

type Schemas = components['schemas']
export type Production = Schemas['Production']
export type Line = Schemas['Line']
export type Take = Schemas['Take']
export type Voice = Schemas['Voice']
export type StandingVoice = Schemas['StandingVoice']
export type Picture = Schemas['Picture']
export type Source = Schemas['Source']
export type Clip = Schemas['ReelClip']
export type LaidSound = Schemas['LaidSound']
export type Polish = Schemas['Polish']
export type Place = Schemas['Place']
export type Repair = Schemas['Repair']
export type Chain = Schemas['Chain']
export type StageKind = Schemas['StageKind']
export type RoomCheck = Schemas['RoomCheck']
export type Job = Schemas['Job']
export type Order = Schemas['OrderRequest']
export type Plan = Schemas['Plan']
export type Finding = Schemas['Finding']
export type FitProposal = Schemas['FitProposal']
export type Preset = Schemas['Preset']
export type Handover = Schemas['Handover']
export type Patch = Schemas['Patch']
export type ListedProduction = Schemas['ListedProduction']
export type Settings = Schemas['PatchedSettingsRequest']
type EditRequest = Schemas['EditRequest']
/** An edit without the revision, which is added when it is sent. */
export type Edit = EditRequest extends infer E ? (E extends unknown ? Omit<E, 'revision'> : never) : never

/** An error of the server, with a text that a person can act on. */
export class Problem extends Error {
  constructor(
    readonly status: number,
    readonly title: string,
    detail: string,
    readonly changes: string[] = [],
  ) {
    super(detail)
  }
}

/** There was no answer, or none that says anything: it may come when it is asked for again. */
export function isAway(error: Error): boolean {
  return !(error instanceof Problem && error.status > 0 && error.status < 500)
}

/** The token that proves a request comes from this page. */
export function csrfToken(): string {
  return /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1] ?? ''
}

export const client = createClient<paths>({ baseUrl: '/', credentials: 'same-origin' })
client.use({
  onRequest({ request }) {
    if (request.method !== 'GET') request.headers.set('X-CSRFToken', csrfToken())
    return request
  },
  onError() {
    return new Problem(0, 'No connection', 'The server can’t be reached. Nothing was changed; try again when it is back.')
  },
})

/** Raw bytes as the body of a request. */
export function asBytes(body: ArrayBuffer) {
  const headers = { 'Content-Type': 'application/octet-stream' }
  return { body: body as never, bodySerializer: (bytes: unknown) => bytes as ArrayBuffer, headers }
}

/** The answer's data, or a `Problem` that says what happened. */
export async function answered<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  const { data, error, response } = await asked
  if (response.ok) return data as T
  const said = (error ?? {}) as Partial<Schemas['Problem']>
  throw new Problem(
    response.status,
    said.title ?? 'Not possible',
    said.detail ?? `The server answered with ${response.status}. Nothing was changed; try again.`,
    said.changes,
  )
}
