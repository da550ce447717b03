import type { Audio } from './audio'
import { LATENCY } from './ceiling'
import { type DuckPoint, duckedAt, duckPoints, SLOPES } from './ducking'
import { Observable } from './observable'
import { SAMPLE_RATE, type Span } from './time'

/** Something that sounds at a place of the programme. */
export type Sounding = {
  key: string
  /** Programme samples at which it is heard. */
  span: Span
  /** The sound, and the sample of it that lies at the start of `span`. */
  load: () => Promise<{ buffer: AudioBuffer; offset: number } | null>
  bus: 'bed' | 'voice'
  /** A bed's identity: by how much it gives way is told by it. */
  bed?: string
  /** dB that it is louder. */
  level?: number
  /** Whether it comes in, and goes out, softly: there it was cut. */
  cut?: readonly [boolean, boolean]
}

/** What sounds between two positions. */
export type Score = (start: number, end: number) => Sounding[]

export type TransportState = { playing: boolean; position: number; from: number }

/** How beds give way: where somebody speaks, in how many samples they come back, and by how many dB each of them. */
export type Ducking = { rise: number; depths: ReadonlyMap<string, number> }

const LOOKAHEAD = 12 * SAMPLE_RATE
const TICK_MS = 250
const EDGE = 0.004
/** As in the film that is handed over: long enough not to click. */
const CUT_FADE = SAMPLE_RATE / 200

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
  private ducks: DuckPoint[] = []
  private speech: readonly Span[] = []
  private ducking: Ducking = { rise: 0.8 * SAMPLE_RATE, depths: new Map() }
  /** Beds that are scheduled: what gives way by another amount from now on. */
  private readonly ducked = new Map<GainNode, { bed: string; from: number; to: number }>()
  private onEnd: (() => void) | undefined
  /** Called when a run begins: the programme sample that is scheduled at a frame of the context. */
  onAnchor: ((frame: number, position: number) => void) | undefined

  /** Called once a run when something that should sound can't be loaded, with the reason. */
  onMissing: ((why: string) => void) | undefined
  private missed = false

  constructor(private readonly audio: Audio) {
    const { context } = audio
    this.beds = new GainNode(context)
    this.voices = new GainNode(context)
    this.clicks = new GainNode(context, { gain: 0.35 })
    for (const bus of [this.beds, this.voices, this.clicks]) bus.connect(audio.mixed)
  }

  /** Programme sample that is heard now. */
  position(now?: number): number {
    if (!this.state.value.playing) return this.state.value.position
    const heard = this.audio.clock.heardFrame(now) - this.anchorFrame + this.anchorPosition
    return Math.max(this.anchorPosition, Math.min(heard, this.end))
  }

  /** Context frame at which a programme sample comes out. */
  frameOf(position: number): number {
    return this.anchorFrame + (position - this.anchorPosition)
  }

  /** Context frame at which it is started: the ceiling looks ahead, so what sounds begins that much earlier. */
  private startOf(position: number): number {
    return this.frameOf(position) - LATENCY
  }

  /**
   * Play from a position. What sounds in the first stretch is loaded before anything begins, so that it begins together.
   *
   * `ducks` is where a voice speaks: beds give way there, as in the film that is handed over. `follow` says
   * whether the chosen line goes along with the position (not while one line's takes are compared).
   */
  async play(
    from: number,
    options: {
      to?: number
      score: Score
      ducks?: Span[]
      ducking?: Ducking
      follow?: boolean
      onEnd?: () => void
      /** What plays goes on until this begins, so that there is no dead time between the two. */
      takesOver?: boolean
    },
  ): Promise<boolean> {
    if (options.takesOver) clearInterval(this.timer)
    else this.stop()
    const run = ++this.run
    this.score = options.score
    this.follows = options.follow ?? true
    this.speech = options.ducks ?? []
    if (options.ducking) this.ducking = options.ducking
    this.ducks = duckPoints(this.speech, { ...SLOPES, rise: this.ducking.rise })
    this.end = options.to ?? Number.POSITIVE_INFINITY
    this.onEnd = options.onEnd
    await this.audio.wake()
    const first = this.score(from, Math.min(this.end, from + 2 * SAMPLE_RATE))
    this.missed = false
    await Promise.all(first.map((sound) => this.loaded(sound, run)))
    if (run !== this.run) return false
    this.anchorFrame = this.align(from, this.audio.soon())
    this.silence((this.anchorFrame - LATENCY) / SAMPLE_RATE)
    this.anchorPosition = from
    this.scheduledTo = from
    this.onAnchor?.(this.anchorFrame, from)
    this.state.set({ playing: true, position: from, from })
    this.timer = setInterval(() => this.tick(), TICK_MS)
    this.tick()
    return true
  }

  /** Let beds give way by another amount, or come back at another speed, from now on. */
  duck(ducking: Ducking): void {
    this.ducking = ducking
    this.ducks = duckPoints(this.speech, { ...SLOPES, rise: ducking.rise })
    if (!this.state.value.playing) return
    const now = Math.round(this.position())
    for (const [node, { bed, from, to }] of this.ducked) this.automate(node, bed, Math.max(from, now), to)
  }

  /** Fall silent at once; the position stays where it was heard. */
  stop(): void {
    this.run++
    if (!this.state.value.playing) return
    const position = Math.max(0, this.position())
    clearInterval(this.timer)
    this.silence(this.audio.context.currentTime)
    this.state.set({ playing: false, position, from: this.state.value.from })
  }

  /** All that sounds ends at a time of the context. */
  private silence(at: number): void {
    for (const source of this.sounding) source.stop(at)
    this.sounding.clear()
    this.ducked.clear()
  }

  /** Put the position somewhere; what plays is stopped. */
  seek(position: number): void {
    this.stop()
    this.state.set({ playing: false, position: Math.max(0, Math.round(position)), from: this.state.value.from })
  }

  /** A short tone at a programme position, for the count-in. */
  beep(position: number, hertz = 1000, seconds = 0.06): void {
    const at = this.startOf(position) / SAMPLE_RATE
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
    let frame = this.startOf(start)
    // Loaded too late for its first samples: the rest still lies where it belongs.
    const late = Math.max(0, this.audio.soon(0.02) - frame)
    frame += late
    const length = end - start - late
    if (length <= 0) return
    const source = new AudioBufferSourceNode(this.audio.context, { buffer: loaded.buffer })
    const bus = sound.bus === 'voice' ? this.voices : this.givingWay(sound, start, end)
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
    const at = (position: number) => Math.max(0, this.startOf(position) / SAMPLE_RATE)
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

  /** A bed that gives way to the voice, or one that does not. */
  private givingWay(sound: Sounding, start: number, end: number): AudioNode {
    const { bed } = sound
    if (bed === undefined) return this.beds
    const node = new GainNode(this.audio.context)
    this.ducked.set(node, { bed, from: start, to: end })
    this.automate(node, bed, start, end)
    node.connect(this.beds)
    return node
  }

  /** The gain of a bed between two positions. On its slopes dB change by straight lines. */
  private automate({ gain }: GainNode, bed: string, start: number, end: number): void {
    const depth = this.ducking.depths.get(bed) ?? 0
    const at = (position: number) => Math.max(0, this.startOf(position) / SAMPLE_RATE)
    const factor = (amount: number) => 10 ** ((amount * depth) / 20)
    gain.cancelScheduledValues(at(start))
    gain.setValueAtTime(factor(duckedAt(this.ducks, start)), at(start))
    if (!depth) return
    for (const [position, amount] of this.ducks) {
      if (position > start && position < end) gain.exponentialRampToValueAtTime(factor(amount), at(position))
    }
    gain.exponentialRampToValueAtTime(factor(duckedAt(this.ducks, end)), at(end))
  }
}
