import type { Audio } from './audio'
import { Observable } from './observable'
import { SAMPLE_RATE, type Span } from './time'

/** Something that sounds at a place of the programme. */
export type Sounding = {
  key: string
  /** Programme samples at which it is heard. */
  span: Span
  /** The sound, and the sample of it that lies at the start of `span`. */
  load: () => Promise<{ buffer: AudioBuffer; offset: number } | null>
  /** A bed gives way to the voice, a kept one does not. */
  bus: 'bed' | 'kept' | 'voice'
  /** dB that it is louder. */
  level?: number
  /** Whether it comes in, and goes out, softly: there it was cut. */
  cut?: readonly [boolean, boolean]
}

/** What sounds between two positions. */
export type Score = (start: number, end: number) => Sounding[]

export type TransportState = { playing: boolean; position: number; from: number }

const LOOKAHEAD = 12 * SAMPLE_RATE
const TICK_MS = 250
const EDGE = 0.004
/** As in the film that is handed over: long enough not to click. */
const CUT_FADE = SAMPLE_RATE / 200

/** How far sound is lowered under the voice, in dB, and in how many samples it comes back. */
export type Ducking = { depth: number; rise: number }

const DUCKING: Ducking = { depth: -12, rise: 0.8 * SAMPLE_RATE }

/**
 * Plays the programme from any position to any position on the frames of the audio context.
 *
 * While it plays, programme sample `anchorPosition` is scheduled at context frame `anchorFrame`, slope 1; the position that
 * people see is the one that is heard.
 */
export class Transport {
  readonly state = new Observable<TransportState>({ playing: false, position: 0, from: 0 })
  anchorFrame = 0
  anchorPosition = 0
  follows = true
  readonly beds: GainNode
  readonly kept: GainNode
  readonly voices: GainNode
  readonly clicks: GainNode
  /** May put off the first frame of a run a little, so that the picture's frames fall on the screen's ticks. */
  align: (from: number, earliest: number) => number = (_from, earliest) => earliest
  private end = Number.POSITIVE_INFINITY
  private run = 0
  private timer: ReturnType<typeof setInterval> | undefined
  private scheduledTo = 0
  private sounding = new Set<AudioScheduledSourceNode>()
  private score: Score = () => []
  private ducks: Span[] = []
  private ducking = DUCKING
  private onEnd: (() => void) | undefined
  /** Called when a run begins: the programme sample that is scheduled at a frame of the context. */
  onAnchor: ((frame: number, position: number) => void) | undefined

  /** Called once a run when something that should sound can't be loaded, with the reason. */
  onMissing: ((why: string) => void) | undefined
  private missed = false

  constructor(private readonly audio: Audio) {
    const { context } = audio
    this.beds = new GainNode(context)
    this.kept = new GainNode(context)
    this.voices = new GainNode(context)
    this.clicks = new GainNode(context, { gain: 0.35 })
    for (const bus of [this.beds, this.kept, this.voices, this.clicks]) bus.connect(audio.out)
  }

  /** Programme sample that is heard now. */
  position(now?: number): number {
    if (!this.state.value.playing) return this.state.value.position
    const heard = this.audio.clock.heardFrame(now) - this.anchorFrame + this.anchorPosition
    return Math.max(this.anchorPosition, Math.min(heard, this.end))
  }

  /** Context frame at which a programme sample is scheduled. */
  frameOf(position: number): number {
    return this.anchorFrame + (position - this.anchorPosition)
  }

  /**
   * Play from a position. What sounds in the first stretch is loaded before anything begins, so that it begins together.
   *
   * `ducks` is where a voice speaks: beds are lowered there, as in the film that is handed over. `follow` says
   * whether the chosen line goes along with the position (not while one line's takes are compared).
   */
  async play(
    from: number,
    options: { to?: number; score: Score; ducks?: Span[]; ducking?: Ducking; follow?: boolean; onEnd?: () => void },
  ): Promise<boolean> {
    this.stop()
    const run = ++this.run
    this.score = options.score
    this.follows = options.follow ?? true
    this.ducks = options.ducks ?? []
    this.ducking = options.ducking ?? DUCKING
    this.end = options.to ?? Number.POSITIVE_INFINITY
    this.onEnd = options.onEnd
    await this.audio.wake()
    const first = this.score(from, Math.min(this.end, from + 2 * SAMPLE_RATE))
    this.missed = false
    await Promise.all(first.map((sound) => this.loaded(sound, run)))
    if (run !== this.run) return false
    this.anchorFrame = this.align(from, this.audio.soon())
    this.anchorPosition = from
    this.scheduledTo = from
    this.onAnchor?.(this.anchorFrame, from)
    this.duckBed()
    this.state.set({ playing: true, position: from, from })
    this.timer = setInterval(() => this.tick(), TICK_MS)
    this.tick()
    return true
  }

  /** Lower what gives way by another amount, from now on. */
  lower(ducking: Ducking): void {
    this.ducking = ducking
    if (this.state.value.playing) this.duckBed()
  }

  /** Fall silent at once; the position stays where it was heard. */
  stop(): void {
    this.run++
    if (!this.state.value.playing) return
    const position = Math.max(0, this.position())
    clearInterval(this.timer)
    const now = this.audio.context.currentTime
    for (const source of this.sounding) source.stop(now)
    this.sounding.clear()
    this.beds.gain.cancelScheduledValues(now)
    this.beds.gain.setValueAtTime(1, now)
    this.state.set({ playing: false, position, from: this.state.value.from })
  }

  /** Put the position somewhere; what plays is stopped. */
  seek(position: number): void {
    this.stop()
    this.state.set({ playing: false, position: Math.max(0, Math.round(position)), from: this.state.value.from })
  }

  /** A short tone at a programme position, for the count-in. */
  beep(position: number, hertz = 1000, seconds = 0.06): void {
    const at = this.frameOf(position) / SAMPLE_RATE
    const tone = new OscillatorNode(this.audio.context, { frequency: hertz })
    const shape = new GainNode(this.audio.context, { gain: 0 })
    shape.gain.setValueAtTime(0, at)
    shape.gain.linearRampToValueAtTime(1, at + EDGE)
    shape.gain.setValueAtTime(1, at + seconds - EDGE)
    shape.gain.linearRampToValueAtTime(0, at + seconds)
    tone.connect(shape).connect(this.clicks)
    tone.start(at)
    tone.stop(at + seconds)
    this.keep(tone)
  }

  private keep(source: AudioScheduledSourceNode): void {
    this.sounding.add(source)
    source.onended = () => {
      this.sounding.delete(source)
      source.disconnect()
    }
  }

  private tick(): void {
    const position = this.position()
    if (position >= this.end) {
      const { onEnd } = this
      this.stop()
      this.state.update({ position: this.end })
      onEnd?.()
      return
    }
    const until = Math.min(this.end, position + LOOKAHEAD)
    if (until - this.scheduledTo < SAMPLE_RATE && until !== this.end) return
    const from = this.scheduledTo
    if (until <= from) return
    this.scheduledTo = until
    for (const sound of this.score(from, until)) {
      const begins = sound.span[0] >= from || from === this.anchorPosition
      if (begins) void this.schedule(sound)
    }
  }

  private async loaded(sound: Sounding, run: number): ReturnType<Sounding['load']> {
    try {
      return await sound.load()
    } catch (error) {
      if (run === this.run && !this.missed) {
        this.missed = true
        this.onMissing?.(error instanceof Error ? error.message : String(error))
      }
      return null
    }
  }

  private async schedule(sound: Sounding): Promise<void> {
    const { run } = this
    const loaded = await this.loaded(sound, run)
    if (!loaded || run !== this.run || !this.state.value.playing) return
    const start = Math.max(sound.span[0], this.anchorPosition)
    const end = Math.min(sound.span[1], this.end)
    let frame = this.frameOf(start)
    // Loaded too late for its first samples: the rest still lies where it belongs.
    const late = Math.max(0, this.audio.soon(0.02) - frame)
    frame += late
    const length = end - start - late
    if (length <= 0) return
    const source = new AudioBufferSourceNode(this.audio.context, { buffer: loaded.buffer })
    const bus = { bed: this.beds, kept: this.kept, voice: this.voices }[sound.bus]
    const shaped = sound.level || sound.cut?.some(Boolean)
    source.connect(shaped ? this.shaped(sound, start, end, bus) : bus)
    const offset = loaded.offset + (start - sound.span[0]) + late
    source.start(frame / SAMPLE_RATE, offset / SAMPLE_RATE, length / SAMPLE_RATE)
    this.keep(source)
  }

  /** A sound's own level, and soft edges where it was cut. */
  private shaped(sound: Sounding, start: number, end: number, bus: AudioNode): AudioNode {
    const full = 10 ** ((sound.level ?? 0) / 20)
    const shape = new GainNode(this.audio.context, { gain: full })
    const at = (position: number) => Math.max(0, this.frameOf(position) / SAMPLE_RATE)
    if (sound.cut?.[0] && start === sound.span[0]) {
      shape.gain.setValueAtTime(0, at(start))
      shape.gain.linearRampToValueAtTime(full, at(start + CUT_FADE))
    }
    if (sound.cut?.[1] && end === sound.span[1]) {
      shape.gain.setValueAtTime(full, at(end - CUT_FADE))
      shape.gain.linearRampToValueAtTime(0, at(end))
    }
    shape.connect(bus)
    return shape
  }

  private duckBed(): void {
    const { gain } = this.beds
    const at = (position: number) => Math.max(0, this.frameOf(position) / SAMPLE_RATE)
    gain.cancelScheduledValues(0)
    gain.setValueAtTime(1, 0)
    const low = 10 ** (this.ducking.depth / 20)
    const { rise } = this.ducking
    for (const [start, end] of this.ducks) {
      if (end + rise < this.anchorPosition) continue
      const inside = start < this.anchorPosition
      if (inside) gain.setValueAtTime(low, at(this.anchorPosition))
      else {
        gain.setValueAtTime(1, at(start - 0.3 * SAMPLE_RATE))
        gain.exponentialRampToValueAtTime(low, at(start))
      }
      gain.setValueAtTime(low, at(end))
      gain.exponentialRampToValueAtTime(1, at(end + rise))
    }
  }
}

/** Spans that lie closer than `hold` samples, joined: between two sentences the bed does not come up. */
export function joinSpans(spans: readonly Span[], hold = SAMPLE_RATE): Span[] {
  const joined: [number, number][] = []
  for (const [start, end] of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = joined.at(-1)
    if (last && start - last[1] < hold) last[1] = Math.max(last[1], end)
    else joined.push([start, end])
  }
  return joined
}
