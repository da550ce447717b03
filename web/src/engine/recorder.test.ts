import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { Audio } from './audio'
import type { CaptureNews, CaptureOrder } from './capture.worklet'
import type { Input } from './input'
import { Observable } from './observable'
import type { OutboxNews, OutboxOrder } from './outbox'
import type { OutboxLink } from './outboxlink'
import type { Picture } from './picture'
import { LEAD, Recorder } from './recorder'
import { SAMPLE_RATE } from './time'
import type { Transport } from './transport'

const LINE = { id: 'line', slot: [480_000, 960_000] as [number, number] }
const CUE = LINE.slot[0]
const READING = { score: {} as never, guide: 'eye' as const }
const LATENCY = 1_000

/** The desk around a recorder: a clock that the test turns, and a record of all that is told. */
class Desk {
  /** The context's frame now. The programme plays from the pre-roll on, a frame for each sample. */
  now = 0
  anchor: { frame: number; position: number } | null = null
  orders: (CaptureOrder | OutboxOrder)[] = []
  beeps: number[] = []
  abandoned: string[] = []
  prepared = 0
  opens = true
  place: () => Promise<{ id: string; number: number; file: string; folder: string }> = async () => ({
    id: 'take',
    number: 3,
    file: 'take 3.wav',
    folder: 'Narration',
  })
  readonly audioState = new Observable('running')
  readonly audio = {
    clock: {},
    state: this.audioState,
    context: { state: 'running', resume: async () => {} },
    warm: async () => {},
    soon: (seconds: number) => this.now + Math.round(seconds * SAMPLE_RATE),
  }
  readonly transport = {
    state: new Observable({ position: 0 }),
    play: async (from: number) => {
      this.anchor = { frame: this.now, position: from }
      return true
    },
    seek: () => {},
    stop: () => {},
    beep: (at: number) => this.beeps.push(at),
    position: () => (this.anchor ? this.anchor.position + this.now - this.anchor.frame : 0),
    frameOf: (position: number) => (this.anchor ? this.anchor.frame + position - this.anchor.position : 0),
  }
  readonly input = {
    opened: { choice: { label: 'a microphone' }, prepare: () => this.prepared++, cue: async () => {}, hush: () => {} },
    chosen: new Observable({ said: '' }),
    ready: async () => (this.opens ? this.input.opened : undefined),
    way: () => ({ latency: LATENCY, spread: 0, fresh: true, source: 'measured' }),
    tell: (order: CaptureOrder) => this.orders.push(order),
    clearClip: () => {},
    onNews: (_: CaptureNews) => {},
    onLost: (_: string, __: boolean) => {},
    onFallen: () => {},
  }
  ticks = 0
  readonly outbox = {
    tell: (order: OutboxOrder) => this.orders.push(order),
    tick: () => this.ticks++,
    onNews: (_: OutboxNews) => {},
  }
  readonly recorder = new Recorder(
    this.audio as unknown as Audio,
    this.transport as unknown as Transport,
    {} as Picture,
    this.input as unknown as Input,
    this.outbox as unknown as OutboxLink,
    { begin: () => this.place(), abandon: async (id) => void this.abandoned.push(id) },
  )

  kinds(): string[] {
    return this.orders.map((order) => order.kind)
  }

  last<T>(kind: string): T {
    return this.orders.findLast((order) => order.kind === kind) as T
  }

  /** Begin, and let the programme run until it is at a place. */
  async recordUntil(position: number): Promise<void> {
    await this.recorder.record(LINE, READING)
    this.runTo(position)
  }

  runTo(position: number): void {
    this.now += position - this.transport.position()
    this.recorder.tick()
  }

  end(total: number): void {
    this.input.onNews({ kind: 'ended', id: 'take', total } as CaptureNews)
  }

  store(): void {
    this.outbox.onNews({
      kind: 'saved',
      id: 'take',
      take: { line: 'line', number: 3, file: 'take 3.wav' },
      recovered: null,
    })
  }
}

let desk: Desk
const kind = () => desk.recorder.state.value.kind

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('window', { addEventListener: () => {} })
  vi.stubGlobal('navigator', { locks: { request: async () => {} } })
  desk = new Desk()
})

afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('a take', () => {
  it('is counted in, kept from before its cue on, and saved with its handle', async () => {
    await desk.recordUntil(CUE - 1)
    expect(kind()).toBe('counting in')
    expect(desk.beeps).toEqual([3, 2, 1].map((beat) => CUE - beat * SAMPLE_RATE))
    expect(desk.last<{ from: number }>('arm').from).toBe(desk.transport.frameOf(CUE - LEAD) + LATENCY)
    desk.runTo(CUE)
    expect(kind()).toBe('recording')
    desk.runTo(CUE + SAMPLE_RATE)
    await desk.recorder.stop()
    expect(kind()).toBe('finishing')
    expect(desk.last<{ at: number }>('end').at).toBe(desk.now + SAMPLE_RATE)
    desk.end(99_000)
    expect(kind()).toBe('saving')
    expect(desk.last('close')).toMatchObject({ total: 99_000, cutOff: false })
    desk.store()
    expect(desk.recorder.state.value).toMatchObject({ kind: 'saved', file: 'take 3.wav', said: '' })
  })

  it('that is called off in the count-in leaves nothing, neither here nor at the server', async () => {
    await desk.recordUntil(CUE - 100)
    await desk.recorder.stop()
    expect(kind()).toBe('ready')
    expect(desk.kinds()).toContain('forget')
    expect(desk.abandoned).toEqual(['take'])
  })

  it('whose place comes later than its first word is counted in again', async () => {
    const plays = vi.spyOn(desk.transport, 'play')
    const place = desk.place
    let give = () => {}
    desk.place = () => new Promise<void>((done) => (give = done)).then(place)
    const recorded = desk.recorder.record(LINE, READING)
    await vi.advanceTimersByTimeAsync(0)
    desk.runTo(CUE + 10)
    give()
    await recorded
    expect(plays).toHaveBeenCalledTimes(2)
    expect(desk.transport.position()).toBeLessThan(CUE)
    expect(desk.kinds()).toContain('arm')
  })

  it.each([
    [new TypeError('fetch'), 'The server can’t be reached'],
    [new Error('The disk is full.'), 'The disk is full. Nothing was recorded.'],
  ])('without a place is not begun, and says why', async (error, said) => {
    desk.place = () => Promise.reject(error)
    await desk.recorder.record(LINE, READING)
    expect(desk.recorder.state.value).toMatchObject({ kind: 'failed', said: expect.stringContaining(said) })
    expect(desk.kinds()).not.toContain('arm')
  })

  it('without an input says so', async () => {
    desk.opens = false
    await desk.recorder.record(LINE, READING)
    expect(desk.recorder.state.value).toMatchObject({ kind: 'failed', said: expect.stringContaining('No microphone') })
  })

  it('that is held goes on at the next sample, after a run-up', async () => {
    await desk.recordUntil(CUE + SAMPLE_RATE)
    desk.recorder.pause()
    expect(kind()).toBe('paused')
    const kept = 60_000
    desk.input.onNews({ kind: 'held', id: 'take', total: kept } as CaptureNews)
    const { transport } = desk
    Object.assign(transport, { anchorPosition: desk.anchor?.position, anchorFrame: desk.anchor?.frame })
    const armed = desk.last<{ from: number }>('arm').from
    const place = transport.position() - desk.now + armed + kept - LATENCY
    await desk.recorder.goOn()
    expect(kind()).toBe('going on')
    expect(transport.position()).toBe(place - 2 * SAMPLE_RATE)
    expect(desk.last<{ from: number }>('resume').from).toBe(transport.frameOf(place) + LATENCY)
    desk.runTo(place)
    expect(kind()).toBe('recording')
  })
})

describe('a fault', () => {
  it('of the input ends the take, which is kept and says why', async () => {
    await desk.recordUntil(CUE + SAMPLE_RATE)
    desk.input.onLost('The microphone went away. Choose another one.', true)
    expect(kind()).toBe('finishing')
    desk.end(50_000)
    expect(desk.last('close')).toMatchObject({ cutOff: true })
    desk.store()
    expect(desk.recorder.state.value).toMatchObject({ kind: 'saved', said: expect.stringContaining('went away') })
  })

  it('of the worklet closes the take with what the outbox has', async () => {
    await desk.recordUntil(CUE + SAMPLE_RATE)
    desk.input.onFallen()
    expect(kind()).toBe('saving')
    expect(desk.kinds().slice(-2)).toEqual(['drop', 'cut'])
  })

  it('of the machine’s sound waits for its revival before it does', async () => {
    await desk.recordUntil(CUE + SAMPLE_RATE)
    desk.audio.context.state = 'suspended'
    desk.audioState.set('suspended')
    expect(kind()).toBe('finishing')
    vi.advanceTimersByTime(1_000)
    expect(kind()).toBe('finishing')
    vi.advanceTimersByTime(1_000)
    expect(desk.last('cut')).toMatchObject({ id: 'take' })
  })

  it('in the count-in records nothing', async () => {
    await desk.recordUntil(CUE - 100)
    desk.input.onLost('The microphone went away. Choose another one.', true)
    await vi.advanceTimersByTimeAsync(0)
    expect(desk.recorder.state.value).toMatchObject({
      kind: 'failed',
      said: expect.stringContaining('nothing was recorded'),
    })
  })
})

it('sends its clock while a take is going, and rests otherwise', async () => {
  vi.advanceTimersByTime(2_000)
  expect([desk.ticks, desk.orders.length]).toEqual([0, 0])
  await desk.recordUntil(CUE)
  vi.advanceTimersByTime(1_000)
  expect(desk.ticks).toBe(5)
  expect(desk.kinds().filter((each) => each === 'clock')).toHaveLength(5)
  await desk.recorder.stop()
  desk.end(10)
  desk.store()
  const told = desk.orders.length
  vi.advanceTimersByTime(5_000)
  expect(desk.orders).toHaveLength(told)
})

it('says within two seconds that nobody is heard, and that nothing comes at all', async () => {
  await desk.recordUntil(CUE)
  const hear = (peak: number, seconds: number) => {
    desk.now = desk.transport.frameOf(CUE) + seconds * SAMPLE_RATE
    desk.input.onNews({ kind: 'level', peak, rms: peak, clipped: false, frame: desk.now } as CaptureNews)
    return desk.recorder.unheard.value
  }
  expect(hear(0.001, 1.9)).toBe(false)
  expect(hear(0.001, 2.1)).toBe('nobody')
  expect(hear(0.2, 2.2)).toBe(false)
  expect(hear(0, 4.1)).toBe(false)
  expect(hear(0, 4.3)).toBe('dead')
})
