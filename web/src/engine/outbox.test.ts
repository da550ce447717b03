import 'fake-indexeddb/auto'
import { IDBFactory } from 'fake-indexeddb'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { dice } from '../testing'
import { type ClockPart, joinParts } from './clocklog'
import { Outbox, type OutboxNews } from './outbox'

const CLOCK: ClockPart = { capture: [[0, 0]], transport: [[0, 0]], source: 'none' }

const ASKED = { input: 'a microphone', cue: 4800 }

/** A server that keeps takes by the rules of the real one, and can be told to fail. */
class FakeServer {
  clocks: unknown[] = []
  headers: string[] = []
  lines = new Set(['line'])
  /** Takes that were begun by the outbox itself, and with what. */
  begun = new Map<string, unknown>()
  takes = new Map<string, { samples: number[]; finished: boolean; cutOff?: boolean }>()
  puts = 0
  fail: (put: number) => 'ok' | 'unreached' | 'lost answer' | 'full' = () => 'ok'

  fetch = async (url: string, init: RequestInit): Promise<Response> => {
    const [, id = '', door] = /takes\/([^/]+)\/(\w+)/.exec(url) ?? []
    const line = /lines\/([^/]+)\/takes/.exec(url)?.[1]
    const how = this.fail(this.puts++)
    if (how === 'unreached') throw new TypeError('failed to fetch')
    if (how === 'full') return Response.json({ detail: 'The disk is full' }, { status: 507 })
    const clock = (init.headers as Record<string, string>)['X-Clock']
    if (clock) this.headers.push(clock)
    if (clock) this.clocks.push(JSON.parse(clock))
    if (door === 'finish') this.clocks.push(JSON.parse(String(init.body)).clock)
    const known = line ? this.lines.has(line) : this.takes.has(id)
    if (!known) return Response.json({ detail: 'There is nothing at this address.' }, { status: 404 })
    if (line) return this.begin(JSON.parse(String(init.body)))
    const answer = door === 'sound' ? this.append(id, url, init.body as ArrayBuffer) : this.finish(id, String(init.body))
    if (how === 'lost answer') throw new TypeError('the connection broke')
    return answer
  }

  private begin(asked: unknown): Response {
    const id = `anew-${this.begun.size}`
    this.begun.set(id, asked)
    this.takes.set(id, { samples: [], finished: false })
    return Response.json({ id, number: 7, file: 'anew.wav' }, { status: 201 })
  }

  private append(id: string, url: string, body: ArrayBuffer): Response {
    const take = this.takes.get(id)!
    const offset = Number(new URL(url, 'http://localhost').searchParams.get('offset'))
    const bytes = new Uint8Array(body)
    if (offset > take.samples.length)
      return Response.json({ have: take.samples.length, detail: 'missing' }, { status: 409 })
    for (let i = 0; i < bytes.length / 3; i++) {
      if (offset + i < take.samples.length) continue
      take.samples.push(bytes[i * 3]! | (bytes[i * 3 + 1]! << 8) | (bytes[i * 3 + 2]! << 16))
    }
    return Response.json({ have: take.samples.length })
  }

  private finish(id: string, body: string): Response {
    const take = this.takes.get(id)!
    const { total, cut_off } = JSON.parse(body)
    if (take.samples.length < total) return Response.json({ detail: 'not all' }, { status: 409 })
    take.finished = true
    take.cutOff = cut_off
    return Response.json({ id, length: take.samples.length })
  }
}

/** Locks as the browser has them: held until their function is done, by whichever page. */
class FakeLocks {
  held = new Set<string>()
  request = async (name: string, second: unknown, third?: (lock: unknown) => Promise<unknown>) => {
    const work = (third ?? second) as (lock: unknown) => Promise<unknown>
    if (third && this.held.has(name)) return work(null)
    this.held.add(name)
    try {
      return await work({ name })
    } finally {
      this.held.delete(name)
    }
  }
}

/** Numbered samples: what arrives can be checked one by one. */
const sound = (from: number, count: number) => Float32Array.from({ length: count }, (_, n) => (from + n + 1) / 8_388_608)

/** Sooner or later: a machine that stands still for a while fails no test. */
const soon = (check: () => void) => vi.waitFor(check, 15_000)

describe('the outbox', () => {
  let server: FakeServer
  let locks: FakeLocks
  let news: OutboxNews[]
  let serial = 0

  const page = () => {
    const channel = new MessageChannel()
    const outbox = new Outbox((one) => news.push(one))
    outbox.obey({ kind: 'source', port: channel.port2 })
    outbox.obey({ kind: 'csrf', token: 'token' })
    return { outbox, channel }
  }
  const begin = (outbox: Outbox) => {
    const id = `take-${serial++}`
    server.takes.set(id, { samples: [], finished: false })
    outbox.obey({ kind: 'open', id, line: 'line', asked: ASKED, clock: CLOCK })
    return id
  }
  const speak = (port: MessagePort, id: string, pieces: number[], from = 0) => {
    let offset = from
    for (const count of pieces) {
      port.postMessage({ kind: 'piece', id, offset, samples: sound(offset, count) })
      offset += count
    }
    return offset
  }
  const said = (kind: OutboxNews['kind'], id?: string) => () =>
    expect(news.some((one) => one.kind === kind && (!id || ('id' in one && one.id === id)))).toBe(true)
  const waiting = () => news.findLast((one) => one.kind === 'waiting')
  const whole = (id: string, total: number) => {
    expect(server.takes.get(id)!.samples).toEqual(Array.from({ length: total }, (_, n) => n + 1))
  }

  beforeEach(() => {
    server = new FakeServer()
    locks = new FakeLocks()
    news = []
    vi.stubGlobal('indexedDB', new IDBFactory())
    vi.stubGlobal('fetch', server.fetch)
    vi.stubGlobal('navigator', { locks })
    // Waiting for a server that comes back is real, but need not be slow here.
    const wait = globalThis.setTimeout
    vi.stubGlobal('setTimeout', (work: () => void, ms = 0) => wait(work, Math.min(ms, 2)))
  })
  afterEach(() => {
    vi.restoreAllMocks()
    vi.unstubAllGlobals()
  })

  it('says saved only when the server has all of it', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    const total = speak(channel.port1, id, [100, 100, 37])
    await soon(() => expect(server.takes.get(id)!.samples).toHaveLength(total))
    expect(news.some((one) => one.kind === 'saved')).toBe(false)
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(said('saved', id))
    whole(id, total)
    expect(server.takes.get(id)!.finished).toBe(true)
  })

  it.each([1, 2, 3, 4, 5, 6, 7, 8])('loses and doubles nothing while everything fails at random (%i)', async (seed) => {
    const random = dice(seed)
    server.fail = () => {
      const thrown = random()
      return thrown < 0.2 ? 'unreached' : thrown < 0.35 ? 'lost answer' : thrown < 0.45 ? 'full' : 'ok'
    }
    const { outbox, channel } = page()
    const id = begin(outbox)
    const pieces = Array.from({ length: 25 }, () => 1 + Math.floor(random() * 300))
    const total = speak(channel.port1, id, pieces)
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(said('saved', id))
    whole(id, total)
  })

  it('sends after a reload what a killed page had not sent, and marks the take as cut off', async () => {
    const first = page()
    const id = begin(first.outbox)
    server.fail = (put) => (put < 2 ? 'ok' : 'unreached')
    const total = speak(first.channel.port1, id, [50, 50, 50, 50])
    await soon(() => expect(server.puts).toBeGreaterThan(4))
    // The page dies: its locks are gone, its storage stays.
    ;(first.outbox as unknown as { open: Map<string, unknown> }).open.clear()
    locks.held.clear()
    server.fail = () => 'ok'
    page()
    await soon(said('saved', id))
    whole(id, total)
    expect(server.takes.get(id)!.cutOff).toBe(true)
    expect(news.find((one) => one.kind === 'saved')).toMatchObject({ recovered: 'cut off' })
  })

  it('leaves alone what another living window records', async () => {
    const first = page()
    const id = begin(first.outbox)
    speak(first.channel.port1, id, [10])
    await soon(() => expect(server.takes.get(id)!.samples).toHaveLength(10))
    page()
    await new Promise((done) => setTimeout(done, 30))
    expect(server.takes.get(id)!.finished).toBe(false)
    first.outbox.obey({ kind: 'close', id, total: 10, cutOff: false, clock: {} })
    await soon(said('saved', id))
    expect(server.takes.get(id)!.cutOff).toBe(false)
  })

  it('waits for the last pieces when the close overtakes them', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    outbox.obey({ kind: 'close', id, total: 60, cutOff: false, clock: {} })
    await new Promise((done) => setTimeout(done, 20))
    expect(server.takes.get(id)!.finished).toBe(false)
    speak(channel.port1, id, [30, 30])
    await soon(said('saved', id))
    whole(id, 60)
  })

  it('forgets a take that was called off, late pieces included', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    server.fail = () => 'unreached'
    speak(channel.port1, id, [10, 10])
    await soon(() => expect(server.puts).toBeGreaterThan(0))
    outbox.obey({ kind: 'forget', id })
    speak(channel.port1, id, [10], 20)
    await soon(() => expect(waiting()).toMatchObject({ bytes: 0, takes: 0 }))
  })

  it('says in words that the server is not reached, and that nothing is lost', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    server.fail = () => 'unreached'
    speak(channel.port1, id, [10])
    await soon(() =>
      expect(news).toContainEqual(
        expect.objectContaining({ kind: 'waiting', online: false, said: expect.stringContaining('kept in this browser') }),
      ),
    )
    server.fail = () => 'ok'
    await soon(() => expect(waiting()).toMatchObject({ online: true, said: '' }))
  })

  it('sends everything from memory where there is no storage at all, and says so', async () => {
    vi.stubGlobal('indexedDB', {
      open: () => {
        throw new DOMException('Internal error opening backing store', 'UnknownError')
      },
    })
    const { outbox, channel } = page()
    const id = begin(outbox)
    const total = speak(channel.port1, id, [30, 40, 50])
    await soon(() =>
      expect(news).toContainEqual(expect.objectContaining({ said: expect.stringContaining('storage can’t be used') })),
    )
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(said('saved', id))
    whole(id, total)
    await soon(() => expect(waiting()).toMatchObject({ bytes: 0, takes: 0, said: '' }))
  })

  it.each([1, 2, 3])('waits for a storage that does not answer now and then (%i)', async (seed) => {
    const random = dice(seed)
    const failing = ['getAll', 'count', 'delete'] as const
    for (const name of failing) {
      const real = IDBObjectStore.prototype[name] as (...given: unknown[]) => unknown
      vi.spyOn(IDBObjectStore.prototype, name).mockImplementation(function (this: IDBObjectStore, ...given: unknown[]) {
        if (random() < 0.25) throw new DOMException('The database connection is closing.', 'InvalidStateError')
        return real.apply(this, given) as never
      })
    }
    const { outbox, channel } = page()
    const id = begin(outbox)
    const total = speak(channel.port1, id, [30, 40, 50, 60, 70])
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(said('saved', id))
    whole(id, total)
  })

  it('gives up an answer that does not come, tells what waits meanwhile, and sends less at once', async () => {
    const { outbox, channel } = page()
    const sizes: number[] = []
    let dead = true
    const { fetch } = server
    vi.stubGlobal('fetch', (url: string, init: RequestInit) => {
      if (init.body instanceof ArrayBuffer) sizes.push(init.body.byteLength / 30)
      if (!dead) return fetch(url, init)
      return new Promise((_, refuse) => init.signal!.addEventListener('abort', () => refuse(new TypeError('aborted'))))
    })
    const id = begin(outbox)
    const total = speak(
      channel.port1,
      id,
      Array.from({ length: 30 }, () => 10),
    )
    await soon(() => expect(sizes.at(-1)).toBe(1))
    expect(Math.max(...sizes)).toBeGreaterThan(1)
    expect(news).toContainEqual(expect.objectContaining({ kind: 'waiting', bytes: 30 * 14_400, reached: false }))
    dead = false
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(said('saved', id))
    whole(id, total)
  })

  it('goes on by itself after signing in again', async () => {
    let wanted = 'token'
    const { outbox, channel } = page()
    const fetch = server.fetch
    vi.stubGlobal('fetch', async (url: string, init: RequestInit) =>
      (init.headers as Record<string, string>)['X-CSRFToken'] === wanted
        ? fetch(url, init)
        : Response.json({ detail: 'You are signed out.' }, { status: 403 }),
    )
    const id = begin(outbox)
    wanted = 'another'
    const total = speak(channel.port1, id, [10, 10])
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(() => expect(waiting()).toMatchObject({ reached: true, said: 'You are signed out.' }))
    outbox.obey({ kind: 'csrf', token: '' })
    outbox.obey({ kind: 'csrf', token: 'another' })
    await soon(said('saved', id))
    whole(id, total)
  })

  it('tells a server that is away from one that can store nothing', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    server.fail = () => 'full'
    speak(channel.port1, id, [10])
    await soon(() => expect(waiting()).toMatchObject({ online: false, reached: true, said: 'The disk is full' }))
  })

  it.each([1, 2, 3])('sends from memory what the full storage of the browser does not take (%i)', async (seed) => {
    const put = IDBObjectStore.prototype.put
    let count = seed
    vi.spyOn(IDBObjectStore.prototype, 'put').mockImplementation(function (this: IDBObjectStore, ...given) {
      // Now and then there is room again: pieces lie in both places, in turn.
      if (this.name === 'pieces' && count++ % 3) throw new DOMException('full', 'QuotaExceededError')
      return put.apply(this, given)
    })
    let down = true
    server.fail = () => (down ? 'unreached' : 'ok')
    const { outbox, channel } = page()
    const id = begin(outbox)
    const total = speak(channel.port1, id, [30, 40, 50, 60, 70, 80, 90])
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(() => expect(news.some((one) => one.kind === 'waiting' && one.bytes >= 7 * 14_400)).toBe(true))
    down = false
    await soon(said('saved', id))
    whole(id, total)
  })

  it('sends every clock pair with the sound or at the end, in letters that a header takes', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    const many = (from: number): [number, number][] =>
      Array.from({ length: 400 }, (_, n) => [from + n, (from + n) * 20_000])
    outbox.obey({ kind: 'clock', id, part: { output: many(0), notes: [[5, 'größer “gemischt”']] } })
    outbox.obey({ kind: 'clock', id, part: { output: many(400), seen: [[1, 2]] } })
    const total = speak(channel.port1, id, [100, 100, 100])
    outbox.obey({ kind: 'clock', id, part: { output: many(800) } })
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: { gaps: [[7, 128]] } })
    await soon(said('saved', id))
    const all = joinParts(server.clocks as ClockPart[])
    expect(new Set(all.output!.map(([frame]) => frame)).size).toBe(1200)
    expect(all).toMatchObject({ capture: expect.arrayContaining([[0, 0]]), gaps: [[7, 128]], source: 'none' })
    expect(all.notes).toContainEqual([5, 'größer “gemischt”'])
    expect(server.headers.every((header) => header.length < 8000 && /^[\x20-\x7e]*$/.test(header))).toBe(true)
  })

  it('begins a take anew when the server has given up the one it never heard of', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    server.fail = () => 'unreached'
    const total = speak(channel.port1, id, [100, 100, 37])
    outbox.obey({ kind: 'close', id, total, cutOff: false, clock: {} })
    await soon(() => expect(server.puts).toBeGreaterThan(2))
    server.takes.delete(id)
    const random = dice(3)
    server.fail = () => (['ok', 'lost answer', 'unreached'] as const)[Math.floor(random() * 3)]!
    await soon(said('saved', id))
    const anew = [...server.takes.keys()].at(-1)!
    whole(anew, total)
    expect(server.takes.get(anew)!.finished).toBe(true)
    expect([...server.begun.values()]).toContainEqual(ASKED)
    const all = joinParts(server.clocks as ClockPart[])
    expect(all).toMatchObject({ capture: expect.arrayContaining([[0, 0]]), source: 'none' })
    await soon(() => expect(waiting()).toMatchObject({ bytes: 0, takes: 0 }))
  })

  it.each(['somebody else is signed in', 'the server has lost a take it had a part of'])(
    'throws nothing away when %s',
    async (how) => {
      const first = page()
      const id = begin(first.outbox)
      const part = how.startsWith('the server') ? [4800] : []
      speak(first.channel.port1, id, part)
      await soon(() => expect(server.takes.get(id)!.samples).toHaveLength(part.length * 4800))
      server.fail = () => 'unreached'
      const total = speak(first.channel.port1, id, [4800, 4800], part.length * 4800)
      await soon(() => expect(server.puts).toBeGreaterThan(3))
      ;(first.outbox as unknown as { open: Map<string, unknown> }).open.clear()
      locks.held.clear()
      // Somebody else comes to this browser; the take is not his, and its line is not.
      const take = server.takes.get(id)!
      server.takes.delete(id)
      server.lines.delete('line')
      server.fail = () => 'ok'
      page()
      await soon(said('refused', id))
      expect(news.find((one) => one.kind === 'refused')!.said).toMatch(/^0\.2 s of a take are kept in this browser/)
      await soon(() => expect(waiting()).toMatchObject({ bytes: 0, takes: 0 }))
      // Who read it comes back.
      locks.held.clear()
      server.takes.set(id, take)
      page()
      await soon(said('saved', id))
      whole(id, total)
    },
  )

  it('closes a take whose sound has stopped with what there is of it', async () => {
    const { outbox, channel } = page()
    const id = begin(outbox)
    speak(channel.port1, id, [100, 50])
    await soon(() => expect(server.takes.get(id)!.samples).toHaveLength(150))
    outbox.obey({ kind: 'cut', id, clock: {} })
    await soon(said('saved', id))
    expect(server.takes.get(id)!.cutOff).toBe(true)
  })
})
