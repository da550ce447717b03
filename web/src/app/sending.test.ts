import { QueryClient } from '@tanstack/react-query'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { send, stop, useSending } from './sending'

const PIECE = 4 << 20

/** A server that takes files by the rules of the real one, and can be told to fail. */
class FakeServer {
  arrivals = new Map<string, { name: string; size: number; digest: string; bytes: Uint8Array[] }>()
  whole: { id: string; name: string; bytes: number[] }[] = []
  timelines = 0
  carried = 0
  count = 0
  refuse: string | null = null
  fail: (request: number) => 'ok' | 'unreached' | 'lost answer' = () => 'ok'

  private async asked(work: () => unknown): Promise<unknown> {
    const how = this.fail(this.count++)
    // As the client says it when there is no answer.
    if (how === 'unreached') throw new problem.Problem(0, 'No connection', 'away')
    const answer = work()
    if (how === 'lost answer') throw new problem.Problem(0, 'No connection', 'away')
    return answer
  }

  private good = (data: unknown) => ({ data, response: new Response('{}') })
  private bad = (status: number, detail: string) => ({
    error: { title: 'Not possible', detail },
    response: new Response('{}', { status }),
  })
  private received = (id: string) => this.arrivals.get(id)!.bytes.reduce((sum, piece) => sum + piece.length, 0)

  POST = (path: string, { params, body }: { params: { path: Record<string, string> }; body: never }) =>
    this.asked(() => {
      if (path.endsWith('/timeline/')) {
        this.timelines++
        return this.good({ remarks: [], missing: ['gate.mp4'] })
      }
      if (path.endsWith('/arrivals/')) {
        const { name, size, digest } = body as { name: string; size: number; digest: string }
        const id = `${digest} ${size}`
        const known = this.whole.find((one) => one.id === id)
        if (known) return this.good({ id: null, received: 0, known: { name: known.name } })
        if (!this.arrivals.has(id)) this.arrivals.set(id, { name, size, digest, bytes: [] })
        return this.good({ id, received: this.received(id), known: null })
      }
      const id = params.path.arrival_id!
      const { name, size, bytes } = this.arrivals.get(id)!
      if (this.received(id) < size) return this.bad(409, 'bytes are missing')
      this.arrivals.delete(id)
      if (this.refuse) return this.bad(422, this.refuse)
      this.whole.push({ id, name, bytes: bytes.flatMap((piece) => [...piece.filter((_, n) => n % 65_536 === 0)]) })
      return this.good({})
    })

  PUT = (_: string, { params, body }: { params: { path: Record<string, string>; query: { at: number } }; body: never }) =>
    this.asked(() => {
      const id = params.path.arrival_id!
      const piece = new Uint8Array(body as ArrayBuffer)
      this.carried += piece.length
      const here = this.received(id)
      if (params.query.at > here) return this.bad(409, 'a hole')
      this.arrivals.get(id)!.bytes.push(piece.slice(here - params.query.at))
      return this.good({ received: this.received(id) })
    })

  DELETE = async (_: string, { params }: { params: { path: Record<string, string> } }) => {
    this.arrivals.delete(params.path.arrival_id!)
    return this.good(null)
  }
}

let server: FakeServer
const problem = await vi.importActual<typeof import('../api/client')>('../api/client')
vi.mock('../api/client', async () => {
  const real = await vi.importActual<typeof import('../api/client')>('../api/client')
  const client = new Proxy({}, { get: (_, name) => server[name as 'POST'] })
  return { ...real, client }
})
vi.mock('../api/production', () => ({ refetchProduction: async () => {} }))

const file = (name: string, size: number) => {
  const bytes = new Uint8Array(size)
  for (let at = 0; at < size; at += 65_536) bytes[at] = (at / 65_536) % 251
  const made = new File([bytes], name)
  // jsdom's files do not tell their bytes; the browser's do.
  const slice = (from = 0, to = size) => ({
    size: Math.min(to, size) - from,
    arrayBuffer: async () => bytes.slice(from, to).buffer,
  })
  return Object.assign(made, { slice, arrayBuffer: async () => bytes.buffer })
}
const sampled = (size: number) => Array.from({ length: Math.ceil(size / 65_536) }, (_, n) => n % 251)
const states = () => useSending.getState().files.map(({ name, state }) => [name, state])

describe('files on their way', () => {
  beforeEach(() => {
    server = new FakeServer()
    useSending.setState({ files: [] })
    vi.useFakeTimers({ toFake: ['setTimeout'], shouldAdvanceTime: true, advanceTimeDelta: 20 })
    vi.stubGlobal(
      'Blob',
      class {
        constructor(readonly parts: unknown[]) {}
        arrayBuffer = async () => new TextEncoder().encode(JSON.stringify(this.parts)).buffer
      },
    )
  })
  afterEach(() => {
    vi.useRealTimers()
    vi.unstubAllGlobals()
  })

  const settled = (what: () => boolean) =>
    vi.waitFor(async () => {
      await vi.advanceTimersByTimeAsync(2_000)
      if (!what()) throw new Error(JSON.stringify(states()))
    }, 20_000)

  it('are sent one after another in the order in which people count, timelines last', async () => {
    send(new QueryClient(), 'p', [file('10 gate.mp4', 900), file('cut.edl', 20), file('9 mud.mp4', 700)])
    expect(states()).toEqual([
      ['9 mud.mp4', 'waiting'],
      ['10 gate.mp4', 'waiting'],
      ['cut.edl', 'waiting'],
    ])
    await settled(() => server.timelines === 1)
    expect(server.whole.map(({ name }) => name)).toEqual(['9 mud.mp4', '10 gate.mp4'])
    await settled(() => useSending.getState().files.length === 1)
    expect(useSending.getState().files[0]!.said).toContain('left as cards: gate.mp4')
  })

  it('arrive whole and once, whatever fails on the way, and nothing is sent again that had arrived', async () => {
    const size = 5 * PIECE + 12_345
    for (let seed = 1; seed <= 6; seed++) {
      server = new FakeServer()
      let dice = seed * 7919
      server.fail = () => {
        dice = (dice * 1_103_515_245 + 12_345) % 2 ** 31
        return dice % 5 === 0 ? 'unreached' : dice % 5 === 1 ? 'lost answer' : 'ok'
      }
      send(new QueryClient(), 'p', [file('long.mp4', size)])
      await settled(() => !useSending.getState().files.length || states()[0]![1] === 'done')
      // When the very last answer is lost the file is known again by what it is.
      expect(server.whole.map(({ name, bytes }) => [name, bytes])).toEqual([['long.mp4', sampled(size)]])
      expect(server.carried).toBeLessThan(size * 2)
      useSending.setState({ files: [] })
    }
  })

  it('say why they are refused, and let the next one through', async () => {
    server.refuse = 'This file is damaged. Copy it again.'
    send(new QueryClient(), 'p', [file('1.mp4', 500)])
    await settled(() => states()[0]![1] === 'refused')
    expect(useSending.getState().files[0]!.said).toBe('This file is damaged. Copy it again.')
    server.refuse = null
    send(new QueryClient(), 'p', [file('2.mp4', 500)])
    await settled(() => server.whole.length === 1)
  })

  it('are thrown away on the server when they are stopped, and wait no longer', async () => {
    server.fail = (request) => (request > 2 ? 'unreached' : 'ok')
    send(new QueryClient(), 'p', [file('1.mp4', 3 * PIECE), file('2.mp4', 500)])
    await settled(() => states()[0]![1] === 'away')
    expect(server.arrivals.size).toBe(1)
    server.fail = () => 'ok'
    stop(useSending.getState().files[0]!.id)
    await settled(() => server.whole.length === 1)
    expect(server.whole[0]!.name).toBe('2.mp4')
    expect(server.arrivals.size).toBe(0)
    expect(states()).toEqual([['1.mp4', 'stopped']])
  })
})
