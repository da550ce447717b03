import type { CapturedPiece } from './capture.worklet'
import { asHeader, type ClockPart, joinParts } from './clocklog'
import { type Asked, type Kept, OutboxStorage, type Piece } from './outboxstorage'
import { packSamples } from './pack'

export type OutboxOrder =
  | { kind: 'csrf'; token: string }
  | { kind: 'source'; port: MessagePort }
  | { kind: 'open'; id: string; line: string; asked: Asked; clock: ClockPart }
  | { kind: 'clock'; id: string; part: ClockPart }
  | { kind: 'close'; id: string; total: number; cutOff: boolean; clock: ClockPart }
  /** The sound stopped and nothing more will come: what is there is the take. */
  | { kind: 'cut'; id: string; clock: ClockPart }
  | { kind: 'forget'; id: string }

export type OutboxNews =
  | { kind: 'waiting'; bytes: number; takes: number; online: boolean; reached: boolean; said: string }
  /** `recovered`: it was recorded by an earlier page, and was cut off or had all been read. */
  | { kind: 'saved'; id: string; take: unknown; recovered: 'cut off' | 'whole' | null }
  | { kind: 'refused'; id: string; said: string }

/** 100 ms of packed sound: what a piece weighs, but for the last of a take. */
const PIECE_BYTES = 14_400
/** Pieces that wait go together, so that a slow connection is not held up by questions and answers. */
const MOST_TOGETHER = 20
const RETRY_MS = [300, 1000, 2000, 4000]
/** A header holds no more. */
const LONGEST_CLOCK = 6000
/** An answer that takes longer does not come any more: a connection may be dead without anybody saying so. */
const PATIENCE_MS = 30_000
const NOT_KNOWN =
  'of a take are kept in this browser and can’t be sent: the account that is signed in does not have it. Sign in as who read it, or bring the production back; they are sent then.'
const STORAGE_FULL =
  'This browser’s own storage is full. The sound goes straight to the server; keep this page open until it says Saved.'
const STORAGE_UNUSABLE =
  'This browser’s own storage can’t be used. The sound goes straight to the server; keep this page open until it says Saved.'

/**
 * Carries recorded sound to the server and loses none of it.
 *
 * Each piece is written to the browser's own storage first and leaves it only when the server has it on its disk. What a
 * closed or killed page left behind is found at the next start and sent then.
 */
export class Outbox {
  constructor(private readonly post: (news: OutboxNews) => void) {}

  private csrf = ''
  private storage = new OutboxStorage()
  private open = new Map<string, Kept>()
  /** Writes of a take happen one after another, so that a close never overtakes its last piece. */
  private writing = new Map<string, Promise<void>>()
  private sending = new Set<string>()
  private wanted = new Set<string>()
  private recovered = new Set<string>()
  private begunAnew = new Set<string>()
  private failures = 0
  private together = MOST_TOGETHER
  /** The server answers, be it that it can't store anything. */
  private reached = true
  private said = ''

  obey(order: OutboxOrder): void {
    if (order.kind === 'csrf') {
      // Who is signed out has no token; what waits is asked for all the same, and told why it must wait.
      if (!order.token) return
      const first = !this.csrf
      this.csrf = order.token
      if (first) void this.recover()
    } else if (order.kind === 'source') {
      order.port.onmessage = ({ data }: MessageEvent<CapturedPiece>) => this.write(data.id, () => this.store(data))
    } else if (order.kind === 'open') {
      this.write(order.id, () => this.begin(order.id, order.line, order.asked, order.clock))
    } else if (order.kind === 'clock') {
      this.write(order.id, async () => void this.parts.get(order.id)?.push(order.part))
    } else if (order.kind === 'close') {
      this.write(order.id, () => this.finish(order.id, order.total, order.cutOff, order.clock))
    } else if (order.kind === 'cut') {
      this.write(order.id, () => this.finish(order.id, null, true, order.clock))
    } else {
      this.write(order.id, () => this.remove(order.id))
    }
  }

  private write(id: string, work: () => Promise<void>): void {
    const before = this.writing.get(id) ?? Promise.resolve()
    const after = before.then(work).catch((error: unknown) => {
      this.said = `Something went wrong while keeping the sound (${String(error)}). Stop, and look whether the take is there.`
      void this.report()
    })
    this.writing.set(id, after)
  }

  private async begin(id: string, line: string, asked: Asked, clock: ClockPart): Promise<void> {
    // Held while this page lives: another window must not take the take for one that was left behind.
    void navigator.locks.request(`take:${id}`, () => new Promise<void>((free) => this.frees.set(id, free)))
    const kept: Kept = { id, line, asked, clock, total: null, next: 0, cutOff: false }
    this.open.set(id, kept)
    this.parts.set(id, [clock])
    await this.storage.keep(kept)
  }

  private parts = new Map<string, ClockPart[]>()
  private frees = new Map<string, () => void>()

  private async store({ id, offset, samples }: CapturedPiece): Promise<void> {
    const kept = this.open.get(id)
    if (!kept) return // called off meanwhile
    const piece: Piece = { take: id, offset, count: samples.length, sound: packSamples(samples), clock: this.clockOf(id) }
    await this.storage.put(piece)
    kept.next = Math.max(kept.next, offset + samples.length)
    void this.send(id)
    // Told now and then also while no answer comes.
    if (++this.pieces % 5 === 0) void this.report()
  }

  private pieces = 0

  /** What was noted of the clocks since the last piece, as it travels with this one; what is too much goes with the next. */
  private clockOf(id: string): string | undefined {
    const parts = this.parts.get(id)
    if (!parts?.length) return undefined
    const joined = asHeader(joinParts(parts))
    if (joined.length <= LONGEST_CLOCK) {
      parts.length = 0
      return joined
    }
    const first = asHeader(parts[0]!)
    if (first.length > LONGEST_CLOCK) return undefined
    parts.shift()
    return first
  }

  private async finish(id: string, total: number | null, cutOff: boolean, clock: ClockPart): Promise<void> {
    const kept = this.open.get(id)
    if (!kept) return
    kept.total = total
    kept.cutOff = cutOff
    kept.clock = joinParts([kept.clock, ...(this.parts.get(id) ?? []), clock])
    this.parts.delete(id)
    await this.storage.keep(kept)
    void this.send(id)
  }

  private async remove(id: string): Promise<void> {
    await this.storage.remove(id)
    this.open.delete(id)
    this.parts.delete(id)
    this.frees.get(id)?.()
    void this.report()
  }

  /** Takes that another page left: taken over when no living page holds them. */
  private async recover(): Promise<void> {
    const left = await this.storage.takes().catch(() => null)
    if (!left) return void setTimeout(() => void this.recover(), RETRY_MS[1])
    for (const kept of left) {
      if (this.open.has(kept.id)) continue
      void navigator.locks.request(`take:${kept.id}`, { ifAvailable: true }, async (lock) => {
        if (!lock) return
        // What an earlier version had kept of its clocks is not understood any more; the sound is.
        if (!kept.clock.capture) kept.clock = {}
        this.open.set(kept.id, kept)
        this.recovered.add(kept.id)
        kept.cutOff = kept.total === null
        await this.send(kept.id)
        await new Promise<void>((free) => this.frees.set(kept.id, free))
      })
    }
    void this.report()
  }

  private async send(id: string): Promise<void> {
    // Somebody who comes while sending must not be missed: what he brought may lie behind the last look.
    this.wanted.add(id)
    if (this.sending.has(id)) return
    this.sending.add(id)
    try {
      while (this.wanted.delete(id)) while (await this.sendNext(id));
    } catch (error) {
      this.said = `The browser’s storage does not answer (${String(error)}). It is asked again; keep this page open.`
      void this.report()
      setTimeout(() => void this.send(id), RETRY_MS[1])
    } finally {
      this.sending.delete(id)
    }
  }

  /** Send one thing of a take; false when there is nothing left to send now. */
  private async sendNext(id: string): Promise<boolean> {
    const kept = this.open.get(id)
    if (!kept || !this.csrf) return false
    const pieces = await this.nextPieces(id)
    const [first] = pieces
    if (!first) {
      if (kept.total === null && !kept.cutOff) return false
      // The close comes by another way than the sound and may overtake its last pieces: they are waited for.
      if (kept.total !== null && kept.next < kept.total && !this.recovered.has(id)) return false
      return this.sendEnd(kept)
    }
    const parts = pieces.flatMap(({ clock }) => (clock ? [JSON.parse(clock) as ClockPart] : []))
    const answer = await this.ask(
      `/api/takes/${kept.on ?? id}/sound/?offset=${first.offset}`,
      'PUT',
      joined(pieces.map(({ sound }) => sound)),
      'application/octet-stream',
      parts.length ? asHeader(joinParts(parts)) : undefined,
    )
    if (!answer) return true
    const end = pieces.at(-1)!.offset + pieces.at(-1)!.count
    if (answer.ok || (answer.status === 409 && Number(answer.body.have) >= end)) {
      await this.storage.letGo(id, pieces)
      this.said = ''
      void this.report()
      return true
    }
    const lost = answer.status === 404 && first.offset === 0 && !this.begunAnew.has(id)
    if (lost && (await this.beginAnew(kept))) return true
    return this.refuse(id, answer)
  }

  /**
   * Begin a take of the line for sound whose own take the server knows no more: it was away from before the first sample
   * on, for so long that the server gave the take up. True when there is one, or when it must be asked for again.
   */
  private async beginAnew(kept: Kept): Promise<boolean> {
    const asked = JSON.stringify(kept.asked ?? { input: '' })
    const answer = await this.ask(`/api/lines/${kept.line}/takes/`, 'POST', asked, 'application/json')
    if (!answer) return true
    if (!answer.ok) return false
    this.begunAnew.add(kept.id)
    kept.on = String(answer.body.id)
    await this.storage.keep(kept)
    return true
  }

  /** The pieces that come next and belong together, from the storage and from memory. */
  private async nextPieces(id: string): Promise<Piece[]> {
    const run: Piece[] = []
    let clock = 0
    for (const piece of await this.storage.first(id, this.together)) {
      const last = run.at(-1)
      clock += piece.clock?.length ?? 0
      const follows = last && piece.offset === last.offset + last.count
      if (last && (!follows || run.length === this.together || clock > LONGEST_CLOCK)) break
      run.push(piece)
    }
    return run
  }

  private async sendEnd(kept: Kept): Promise<boolean> {
    const body = { total: kept.total ?? 0, clock: kept.clock, cut_off: kept.cutOff }
    const answer = await this.ask(
      `/api/takes/${kept.on ?? kept.id}/finish/`,
      'POST',
      JSON.stringify(body),
      'application/json',
    )
    if (!answer) return true
    if (answer.status === 409 && this.recovered.has(kept.id) && !kept.cutOff) {
      // The page died between its close and its last piece: what has arrived is the take.
      kept.cutOff = true
      kept.total = null
      return true
    }
    if (!answer.ok) return this.refuse(kept.id, answer)
    await this.remove(kept.id)
    const recovered = this.recovered.has(kept.id) ? (kept.cutOff ? 'cut off' : 'whole') : null
    this.post({ kind: 'saved', id: kept.id, take: answer.body, recovered })
    return false
  }

  /** A refusal is final for this take's sending; its sound stays in the browser unless there is none to keep. */
  private async refuse(id: string, answer: Answer): Promise<boolean> {
    const left = await this.left(id)
    this.said = String(answer.body.detail ?? `The server refused the take (${answer.status}).`)
    if (answer.status === 404 && left) this.said = `${(left / 48_000).toFixed(1)} s ${NOT_KNOWN}`
    if (!left && (answer.status === 404 || answer.status === 422)) await this.remove(id)
    else this.open.delete(id)
    this.post({ kind: 'refused', id, said: this.said })
    void this.report()
    return false
  }

  /** Samples of a take that are kept here. */
  private async left(id: string): Promise<number> {
    return (await this.storage.count(id)) * (PIECE_BYTES / 3)
  }

  /** Ask the server; null when it could not be reached or could not store, after waiting a while. */
  private async ask(url: string, method: string, body: BodyInit, type: string, clock?: string): Promise<Answer | null> {
    const patience = new AbortController()
    const over = setTimeout(() => patience.abort(), PATIENCE_MS)
    try {
      const headers: Record<string, string> = { 'Content-Type': type, 'X-CSRFToken': this.csrf }
      if (clock) headers['X-Clock'] = clock
      const { signal } = patience
      const answer = await fetch(url, { method, headers, body, credentials: 'same-origin', signal })
      this.reached = true
      const parsed = (await answer.json().catch(() => ({}))) as Record<string, unknown>
      if (answer.status < 500 && answer.status !== 403 && answer.status !== 429) {
        this.failures = 0
        this.together = Math.min(MOST_TOGETHER, this.together * 2)
        return { ok: answer.ok, status: answer.status, body: parsed }
      }
      // What nobody foresaw says nothing that helps: the sound is kept, and that counts.
      const told = answer.status === 500 ? undefined : parsed.detail
      this.said = String(told ?? 'The server has a problem; what was recorded is kept in this browser.')
    } catch {
      this.reached = false
      // A connection that is too slow for all of it may carry a part in time.
      if (patience.signal.aborted) this.together = Math.ceil(this.together / 2)
      this.said = 'The server can’t be reached. What was recorded is kept in this browser and is sent when it is back.'
    } finally {
      clearTimeout(over)
    }
    const wait = RETRY_MS[Math.min(this.failures++, RETRY_MS.length - 1)]!
    void this.report()
    await new Promise((done) => setTimeout(done, wait))
    return null
  }

  private reports = 0
  private reported = 0

  private async report(): Promise<void> {
    const mine = ++this.reports
    // What can't be sent now, and what other windows record, is not on its way from here.
    const counts = await Promise.all([...this.open.keys()].map((id) => this.storage.count(id).catch(() => 0)))
    const bytes = counts.reduce((sum, count) => sum + count, 0) * PIECE_BYTES
    if (mine < this.reported) return // somebody who asked later has told more
    this.reported = mine
    const said = this.said || { full: STORAGE_FULL, unusable: STORAGE_UNUSABLE, none: '' }[this.storage.trouble ?? 'none']
    this.post({ kind: 'waiting', bytes, takes: this.open.size, online: this.failures === 0, reached: this.reached, said })
  }
}

function joined(sounds: readonly ArrayBuffer[]): ArrayBuffer {
  const whole = new Uint8Array(sounds.reduce((sum, sound) => sum + sound.byteLength, 0))
  let at = 0
  for (const sound of sounds) {
    whole.set(new Uint8Array(sound), at)
    at += sound.byteLength
  }
  return whole.buffer
}

type Answer = { ok: boolean; status: number; body: Record<string, unknown> }
