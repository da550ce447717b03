import { beforeEach, describe, expect, it, vi } from 'vitest'
import type { Audio } from './audio'
import { Ceiling, LATENCY } from './ceiling'
import ceiling from './ceiling.cases.json'
import { duckedAt, duckPoints } from './ducking'
import ducking from './ducking.cases.json'
import { SAMPLE_RATE, type Span } from './time'
import { type Sounding, Transport } from './transport'

type Started = { key: string; frame: number; offset: number; length: number; stopped?: boolean; end?: number }

let started: Started[]
let gains: { events: [string, number, number][] }[]
let now: number
let heard: number

/** Just enough of Web Audio to see what is scheduled. */
function fakeAudio(): Audio {
  const param = () => ({
    value: 1,
    events: [] as [string, number, number][],
    cancelScheduledValues() {},
    setValueAtTime(this: { events: [string, number, number][] }, value: number, at: number) {
      this.events.push(['set', value, at])
    },
    linearRampToValueAtTime() {},
    exponentialRampToValueAtTime(this: { events: [string, number, number][] }, value: number, at: number) {
      this.events.push(['ramp', value, at])
    },
  })
  class Node {
    gain = param()
    onended: (() => void) | null = null
    private own: Started | undefined
    constructor(
      _context: unknown,
      private readonly options: { buffer?: { key: string } } = {},
    ) {
      gains.push(this.gain)
    }
    connect(next: unknown) {
      return next
    }
    disconnect() {}
    start(when: number, offset = 0, length = 0) {
      this.own = {
        key: this.options.buffer?.key ?? 'tone',
        frame: Math.round(when * SAMPLE_RATE),
        offset: Math.round(offset * SAMPLE_RATE),
        length: Math.round(length * SAMPLE_RATE),
      }
      started.push(this.own)
    }
    stop(when?: number) {
      if (this.own && (when ?? 0) <= now / SAMPLE_RATE) this.own.stopped = true
      if (this.own && when !== undefined) this.own.end = Math.round(when * SAMPLE_RATE)
    }
  }
  vi.stubGlobal('GainNode', Node)
  vi.stubGlobal('OscillatorNode', Node)
  vi.stubGlobal('AudioBufferSourceNode', Node)
  return {
    context: {
      destination: {},
      get currentTime() {
        return now / SAMPLE_RATE
      },
    },
    mixed: {},
    wake: async () => {},
    soon: (seconds = 0.06) => now + Math.round(seconds * SAMPLE_RATE),
    clock: { heardFrame: () => heard },
  } as unknown as Audio
}

const sounding = (key: string, span: Span, offset = 0): Sounding => ({
  key,
  span,
  bus: 'voice',
  load: async () => ({ buffer: { key } as unknown as AudioBuffer, offset }),
})

const among =
  (...all: Sounding[]) =>
  (start: number, end: number) =>
    all.filter(({ span }) => span[0] < end && span[1] > start)

/** Let the clock run: what is scheduled and heard moves on together. */
async function run(seconds: number): Promise<void> {
  await vi.advanceTimersByTimeAsync(0)
  for (let step = 0; step < seconds * 4; step++) {
    now += SAMPLE_RATE / 4
    heard += SAMPLE_RATE / 4
    await vi.advanceTimersByTimeAsync(250)
  }
}

describe('the transport', () => {
  let transport: Transport

  beforeEach(() => {
    vi.useFakeTimers()
    started = []
    gains = []
    now = 1_000_000
    heard = now - 1728
    transport = new Transport(fakeAudio())
  })

  it('lets one sound go on until another takes over, on the very frame, however long that takes to load', async () => {
    let loaded = () => {}
    const slowly = (key: string): Sounding => {
      const all = new Promise<{ buffer: AudioBuffer; offset: number }>((done) => {
        loaded = () => done({ buffer: { key } as unknown as AudioBuffer, offset: 0 })
      })
      return { ...sounding(key, [0, 20 * SAMPLE_RATE]), load: () => all }
    }
    await transport.play(0, { score: among(sounding('one', [0, 20 * SAMPLE_RATE])) })
    await run(1)
    const over = transport.play(SAMPLE_RATE, { score: among(slowly('two')), takesOver: true })
    await run(0.5)
    expect(started).toHaveLength(1)
    expect(started[0]!.end).toBeUndefined()
    loaded()
    expect(await over).toBe(true)
    await vi.advanceTimersByTimeAsync(0)
    expect(started[1]!.key).toBe('two')
    expect(started[0]!.end).toBe(started[1]!.frame)
    // What was stopped meanwhile does not begin.
    const never = transport.play(0, { score: among(slowly('three')), takesOver: true })
    await run(0.25)
    transport.stop()
    loaded()
    expect(await never).toBe(false)
    expect(started).toHaveLength(2)
    expect(started[1]!.stopped).toBe(true)
  })

  it('starts everything on the frame where it belongs, from any position', async () => {
    const film = sounding('film', [0, 20 * SAMPLE_RATE])
    const voice = sounding('voice', [SAMPLE_RATE * 6, SAMPLE_RATE * 8], 4800)
    await transport.play(5 * SAMPLE_RATE + 17, { score: among(film, voice) })
    await run(1)
    const anchor = now - SAMPLE_RATE + 2880 - LATENCY
    expect(started).toContainEqual({
      key: 'film',
      frame: anchor,
      offset: 5 * SAMPLE_RATE + 17,
      length: 15 * SAMPLE_RATE - 17,
    })
    expect(started).toContainEqual({
      key: 'voice',
      frame: anchor + SAMPLE_RATE - 17,
      offset: 4800,
      length: 2 * SAMPLE_RATE,
    })
    expect(transport.frameOf(6 * SAMPLE_RATE)).toBe(anchor + LATENCY + SAMPLE_RATE - 17)
  })

  it('schedules each sound once, however long it plays', async () => {
    const pieces = Array.from({ length: 12 }, (_, n) => sounding(`p${n}`, [n * 480_000, (n + 1) * 480_000]))
    await transport.play(0, { score: among(...pieces) })
    await run(100)
    const keys = started.map(({ key }) => key)
    expect(keys).toEqual([...new Set(keys)])
    expect(keys.slice(0, 11)).toEqual(pieces.slice(0, 11).map(({ key }) => key))
    for (const [n, one] of started.entries()) expect(one.frame - started[0]!.frame).toBe(n * 480_000)
  })

  it('shows the position that is heard, never one before the start', async () => {
    await transport.play(48_000, { score: among() })
    expect(transport.position()).toBe(48_000)
    await run(2)
    expect(transport.position()).toBe(48_000 + 2 * SAMPLE_RATE - 2880 - 1728)
    transport.stop()
    const resting = transport.position()
    await run(1)
    expect(transport.position()).toBe(resting)
  })

  it('falls silent at once when it is stopped, and a load that comes late stays silent', async () => {
    let arrive: (value: { buffer: AudioBuffer; offset: number }) => void = () => {}
    const slow = {
      ...sounding('slow', [4 * SAMPLE_RATE, 9 * SAMPLE_RATE]),
      load: () => new Promise<never>((r) => (arrive = r as never)),
    }
    await transport.play(0, { score: among(sounding('film', [0, 9 * SAMPLE_RATE]), slow) })
    await run(1)
    transport.stop()
    expect(started.every(({ stopped }) => stopped)).toBe(true)
    arrive({ buffer: { key: 'slow' } as unknown as AudioBuffer, offset: 0 })
    await run(1)
    expect(started.map(({ key }) => key)).toEqual(['film'])
  })

  it('a sound that was loaded too late loses its beginning and not its place', async () => {
    let arrive: (value: { buffer: AudioBuffer; offset: number }) => void = () => {}
    const slow = {
      ...sounding('slow', [3 * SAMPLE_RATE, 9 * SAMPLE_RATE]),
      load: () => new Promise<never>((r) => (arrive = r as never)),
    }
    await transport.play(0, { score: among(slow) })
    const anchor = transport.anchorFrame
    await run(5)
    arrive({ buffer: { key: 'slow' } as unknown as AudioBuffer, offset: 0 })
    await vi.advanceTimersByTimeAsync(0)
    const [one] = started
    expect(one!.frame + LATENCY - anchor).toBe(3 * SAMPLE_RATE + one!.offset)
    expect(one!.offset + one!.length).toBe(6 * SAMPLE_RATE)
  })

  it('says once what can not be heard, and plays all else', async () => {
    const missing: string[] = []
    transport.onMissing = (why) => missing.push(why)
    const broken = (key: string, span: Span): Sounding => ({
      ...sounding(key, span),
      load: async () => {
        throw new Error(`${key} is damaged`)
      },
    })
    const film = sounding('film', [0, 20 * SAMPLE_RATE])
    const score = among(film, broken('take', [0, SAMPLE_RATE]), broken('later', [15 * SAMPLE_RATE, 16 * SAMPLE_RATE]))
    expect(await transport.play(0, { score })).toBe(true)
    await run(16)
    expect(missing).toEqual(['take is damaged'])
    expect(started.map(({ key }) => key)).toEqual(['film'])
    await transport.play(14 * SAMPLE_RATE, { score })
    await run(2)
    expect(missing).toEqual(['take is damaged', 'later is damaged'])
  })

  it('ends where it was told, and says so', async () => {
    const ended = vi.fn()
    await transport.play(0, { to: SAMPLE_RATE, score: among(), onEnd: ended })
    await run(2)
    expect(ended).toHaveBeenCalledOnce()
    expect(transport.state.value).toMatchObject({ playing: false, position: SAMPLE_RATE })
  })

  it('a second play replaces the first, even one that is still loading', async () => {
    let arrive: (value: unknown) => void = () => {}
    const slow = { ...sounding('slow', [0, SAMPLE_RATE]), load: () => new Promise<never>((r) => (arrive = r as never)) }
    const first = transport.play(0, { score: among(slow) })
    await vi.advanceTimersByTimeAsync(0)
    const second = transport.play(SAMPLE_RATE, { score: among() })
    arrive({ buffer: {}, offset: 0 })
    expect(await first).toBe(false)
    expect(await second).toBe(true)
    expect(transport.anchorPosition).toBe(SAMPLE_RATE)
  })

  it('beeps on the frame, and lets a bed give way by its own depth where a voice speaks', async () => {
    const film = { ...sounding('film', [0, 10 * SAMPLE_RATE]), bus: 'bed' as const, bed: 'film' }
    const ducking = { rise: 0.8 * SAMPLE_RATE, depths: new Map([['film', -9]]) }
    await transport.play(0, { score: among(film), ducks: [[2 * SAMPLE_RATE, 3 * SAMPLE_RATE]], ducking })
    transport.beep(SAMPLE_RATE)
    expect(started.find(({ key }) => key === 'tone')).toMatchObject({ frame: transport.frameOf(SAMPLE_RATE) - LATENCY })
    await run(0.25)
    const at = (sample: number) => (transport.frameOf(sample) - LATENCY) / SAMPLE_RATE
    const events = gains.flatMap((gain) => gain.events)
    expect(events).toContainEqual(['ramp', 10 ** (-9 / 20), at(2 * SAMPLE_RATE)])
    expect(events).toContainEqual(['ramp', 1, at(3.8 * SAMPLE_RATE)])
    transport.duck({ ...ducking, depths: new Map([['film', -20]]) })
    expect(gains.flatMap((gain) => gain.events)).toContainEqual(['ramp', 0.1, at(2 * SAMPLE_RATE)])
  })
})

describe('beds', () => {
  it.each(ducking)('give way as in the film: $name', ({ spans, fall, rise, hold, points }) => {
    const found = duckPoints(spans as unknown as Span[], { fall, rise, hold })
    expect(found.map(([sample]) => sample)).toEqual(points.map(([sample]) => sample))
    for (const [n, [sample, amount]] of found.entries()) {
      expect(amount).toBeCloseTo(points[n]![1]!, 6)
      expect(duckedAt(found, sample)).toBeCloseTo(amount, 6)
    }
  })
})

describe('the ceiling', () => {
  const toned = ({ length, tones }: (typeof ceiling.cases)[number]) => {
    const sides = [new Float32Array(length), new Float32Array(length)] as const
    for (const { from, to, hertz, amplitude, left, right } of tones) {
      for (let n = from; n < Math.min(to, length); n++) {
        const wave = amplitude * Math.sin((2 * Math.PI * hertz * n) / SAMPLE_RATE)
        sides[0][n]! += wave * left
        sides[1][n]! += wave * right
      }
    }
    return sides
  }

  it.each(ceiling.cases)('is that of the film, sample by sample: $name', (one) => {
    expect(ceiling.latency).toBe(LATENCY)
    const sides = toned(one)
    const out = [new Float32Array(one.length), new Float32Array(one.length)]
    const own = new Ceiling(one.ceiling)
    for (let at = 0; at < one.length; at += 128) {
      const part = (side: Float32Array) => side.subarray(at, Math.min(at + 128, one.length))
      own.process(sides.map(part), out.map(part), Math.min(128, one.length - at))
    }
    for (const [at, left, right] of one.out as [number, number, number][]) {
      expect(Math.abs(out[0]![at]! - left)).toBeLessThan(5e-6)
      expect(Math.abs(out[1]![at]! - right)).toBeLessThan(5e-6)
    }
  })
})
