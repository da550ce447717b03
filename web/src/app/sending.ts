import type { QueryClient } from '@tanstack/react-query'
import { create } from 'zustand'
import { answered, asBytes, client, Problem } from '../api/client'
import { refetchProduction } from '../api/production'

const PIECE = 4 << 20
const DIGEST_PIECE = 1 << 20
const AGAIN_MS = 2_000
const ASK_MS = 600

/** A file on its way to the server. It goes on while other rooms are open. */
export type Sent = {
  id: number
  production: string
  /** The line that it becomes a take of; null: it is for the picture. */
  line: string | null
  name: string
  share: number
  state: 'waiting' | 'sending' | 'away' | 'judging' | 'opening' | 'done' | 'refused' | 'stopped'
  said: string
  /** Of an archive: the production that it became. */
  opened?: string
}

/** Where archives stand in the list, which belong to no production yet. */
export const ARCHIVES = 'archives'

/** What is being sent, and what was sent since the page was opened. */
export const useSending = create<{ files: Sent[]; forget: (id: number) => void }>((set) => ({
  files: [],
  forget: (id) => set(({ files }) => ({ files: files.filter((file) => file.id !== id) })),
}))

let count = 0
let chain = Promise.resolve()
const stops = new Map<number, AbortController>()

function change(id: number, what: Partial<Sent>): void {
  const { files } = useSending.getState()
  useSending.setState({ files: files.map((file) => (file.id === id ? { ...file, ...what } : file)) })
}

/**
 * What becomes of files: sources of the picture, laid in the reel or not; takes, of this line or of those they name; or a
 * production, which an archive is opened as.
 */
export type Destiny = { laid: boolean } | { line: string; byName: boolean } | { archive: true }

/** Files sent one after another, in the order of their names as people count. */
export function send(queries: QueryClient, production: string, files: File[], destiny: Destiny = { laid: true }): void {
  const line = 'line' in destiny ? destiny.line : null
  // Timelines come last: they speak of the others.
  const isTimeline = (file: File) => 'laid' in destiny && /\.(edl|otio)$/i.test(file.name)
  const ordered = [...files].sort(
    (a, b) => Number(isTimeline(a)) - Number(isTimeline(b)) || a.name.localeCompare(b.name, undefined, { numeric: true }),
  )
  for (const file of ordered) {
    const id = ++count
    stops.set(id, new AbortController())
    const sent: Sent = { id, production, line, name: file.name, share: 0, state: 'waiting', said: '' }
    useSending.setState({ files: [...useSending.getState().files, sent] })
    chain = chain.then(() =>
      isTimeline(file) ? sendTimeline(queries, id, production, file) : sendOne(queries, id, production, file, destiny),
    )
  }
}

/** Stop one file; what has come of it is thrown away. */
export function stop(id: number): void {
  stops.get(id)?.abort()
  change(id, { state: 'stopped', said: 'Stopped. Nothing was changed.' })
}

async function sendOne(queries: QueryClient, id: number, production: string, file: File, destiny: Destiny): Promise<void> {
  const { signal } = stops.get(id)!
  let arrival: string | null = null
  try {
    const digest = await digestOf(file)
    for (;;) {
      if (signal.aborted) return
      try {
        change(id, { state: 'sending' })
        const told = await announce(production, { name: file.name, size: file.size, digest }, destiny, signal)
        if (told.known) {
          const said = `“${told.known.name}” is the same file and is here already. Nothing was sent twice; find it under Files.`
          return change(id, { state: 'done', share: 1, said })
        }
        arrival = told.id
        await sendPieces(id, arrival!, file, told.received, signal)
        change(id, { state: 'judging', share: 1 })
        if ('archive' in destiny) {
          await openArchive(queries, id, file.name, arrival!, signal)
          return
        }
        await finish(arrival!, destiny, signal)
        change(id, { state: 'done' })
        useSending.getState().forget(id)
        await Promise.all([
          refetchProduction(queries, production),
          queries.invalidateQueries({ queryKey: ['jobs', production] }),
        ])
        return
      } catch (error) {
        if (signal.aborted) return
        // No answer at all: the connection is away. What has arrived stays; it goes on from there.
        if (!(error instanceof Problem) || (error.status !== 0 && error.status < 502)) throw error
        change(id, { state: 'away' })
        await new Promise((done) => setTimeout(done, AGAIN_MS))
      }
    }
  } catch (error) {
    change(id, { state: 'refused', said: error instanceof Error ? error.message : 'It could not be brought in.' })
  } finally {
    stops.delete(id)
    if (signal.aborted && arrival) {
      await client.DELETE('/api/arrivals/{arrival_id}/', { params: { path: { arrival_id: arrival } } }).catch(() => {})
    }
  }
}

function announce(
  production: string,
  file: { name: string; size: number; digest: string },
  destiny: Destiny,
  signal: AbortSignal,
) {
  if ('archive' in destiny) return answered(client.POST('/api/archives/', { body: file, signal }))
  const params = { path: { production_id: production } }
  const body = { ...file, reading: 'line' in destiny }
  return answered(client.POST('/api/productions/{production_id}/arrivals/', { params, body, signal }))
}

/** An archive is opened by a job: how far that is, and what it became. Stopped, the job is asked to end. */
async function openArchive(queries: QueryClient, id: number, name: string, arrival: string, signal: AbortSignal) {
  const arrived = { params: { path: { arrival_id: arrival } } }
  let job = await answered(client.POST('/api/arrivals/{arrival_id}/archive/', arrived))
  const params = { path: { job_id: job.id } }
  while (job.state === 'waiting' || job.state === 'running') {
    change(id, { state: 'opening', share: job.progress })
    await new Promise((done) => setTimeout(done, ASK_MS))
    if (signal.aborted) await client.POST('/api/jobs/{job_id}/cancel/', { params })
    job = await answered(client.GET('/api/jobs/{job_id}/', { params }))
  }
  await queries.invalidateQueries({ queryKey: ['productions'] })
  if (job.state === 'cancelled') return
  if (job.state === 'failed') return change(id, { state: 'refused', said: job.error })
  const { productions, takes, remarks } = job.result as {
    productions: { id: string; name: string }[]
    takes: number
    remarks: string[]
  }
  const names = productions.map((one) => `“${one.name}”`).join(', ')
  const said = [`${names} opened from “${name}”, with ${takes} ${takes === 1 ? 'take' : 'takes'}.`, ...remarks].join(' ')
  change(id, { state: 'done', share: 1, said, ...(productions[0] && { opened: productions[0].id }) })
}

function finish(arrival: string, destiny: Exclude<Destiny, { archive: true }>, signal: AbortSignal): Promise<unknown> {
  const params = { path: { arrival_id: arrival } }
  if ('laid' in destiny)
    return answered(client.POST('/api/arrivals/{arrival_id}/finish/', { params, body: destiny, signal }))
  const body = { line: destiny.line, by_name: destiny.byName }
  return answered(client.POST('/api/arrivals/{arrival_id}/reading/', { params, body, signal }))
}

/** A timeline lays the reel at once; what is odd in it, and what is missing, is said. */
async function sendTimeline(queries: QueryClient, id: number, production: string, file: File): Promise<void> {
  if (stops.get(id)?.signal.aborted) return void stops.delete(id)
  try {
    change(id, { state: 'judging', share: 1 })
    const path = { production_id: production }
    const bytes = await file.arrayBuffer()
    const found = await answered(
      client.POST('/api/productions/{production_id}/timeline/', { params: { path }, ...asBytes(bytes) }),
    )
    await refetchProduction(queries, production)
    const missing = found.missing.length ? [`Missing, and left as cards: ${found.missing.join(', ')}`] : []
    const said = [...found.remarks, ...missing].map((one) => `${one[0]!.toUpperCase()}${one.slice(1)}.`).join(' ')
    if (said) change(id, { state: 'done', said: `“${file.name}” was laid. ${said}` })
    else useSending.getState().forget(id)
  } catch (error) {
    change(id, { state: 'refused', said: error instanceof Error ? error.message : 'The timeline could not be read.' })
  } finally {
    stops.delete(id)
  }
}

async function sendPieces(id: number, arrival: string, file: File, from: number, signal: AbortSignal): Promise<void> {
  for (let at = from; at < file.size; ) {
    const bytes = await file.slice(at, at + PIECE).arrayBuffer()
    const params = { path: { arrival_id: arrival }, query: { at } }
    const answer = await answered(client.PUT('/api/arrivals/{arrival_id}/', { params, ...asBytes(bytes), signal }))
    at = answer.received
    change(id, { share: at / file.size })
  }
}

/** Tells the same file when it comes again: SHA-256 of its size and of its first, middle and last MiB. */
async function digestOf(file: Blob): Promise<string> {
  const { size } = file
  const starts = [0, Math.max(0, Math.floor(size / 2) - DIGEST_PIECE / 2), Math.max(0, size - DIGEST_PIECE)]
  const whole = new Blob([String(size), ...starts.map((at) => file.slice(at, at + DIGEST_PIECE))])
  const hash = await crypto.subtle.digest('SHA-256', await whole.arrayBuffer())
  return [...new Uint8Array(hash)].map((byte) => byte.toString(16).padStart(2, '0')).join('')
}
