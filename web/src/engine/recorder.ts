import type { Audio } from './audio'
import type { CaptureNews, CaptureOrder } from './capture.worklet'
import captureUrl from './capture.worklet?worker&url'
import { ClockNotes } from './clocklog'
import { GrowingWave } from './growing'
import { type Devices, devicesOf, type InputChoice, InputProblem, type OpenInput, openInput } from './inputs'
import { Observable } from './observable'
import type { OutboxNews, OutboxOrder } from './outbox'
import OutboxWorker from './outbox.worker?worker'
import { OwnVoice } from './ownvoice'
import { packSamples } from './pack'
import type { Picture } from './picture'
import { SAMPLE_RATE, type Span } from './time'
import type { Score, Transport } from './transport'

const BEAT = SAMPLE_RATE
/** Sound kept before the cue: less than a beat, so that the last beep of the count-in is not in it. */
export const LEAD = Math.round(0.85 * BEAT)
/** So long before the cue a take must have its place, or its first word might be missing. */
const LATEST = SAMPLE_RATE / 5
/** Sound kept after the stop. */
const HANDLE = SAMPLE_RATE
/** The programme plays so long before the first beat. */
const PRE_ROLL = SAMPLE_RATE / 2
/** After a pause the programme goes back so far, to be read into. */
const RUN_UP = 2 * SAMPLE_RATE
const CLOCK_EVERY_MS = 200
/** What is left of the held peak a second after it begins to fall. */
const HELD_FALLS = 0.3
/** How long a context that was suspended may take to come back before the take is closed without it. */
const REVIVAL_MS = 1500
/** So long the next take waits until the server has heard that one was called off. */
const FORGETTING_MS = 2000
/** So many ticks of the clock's timer without a word of the outbox: fifteen seconds. */
const SILENT_TICKS = 75
const OUTBOX_FAILED =
  'The part of this page that stores what is read does not work. Stop, load the page anew, and look whether the take is there.'
/** Samples in one column of the growing waveform: eight render quanta. */
const COLUMN = 8 * 128

/** The one unmistakable state of the Booth. */
export type BoothState =
  | { kind: 'ready' }
  | { kind: 'counting in'; line: string; cue: number; from: number; count: CountIn; take: number | null }
  | { kind: 'recording'; line: string; cue: number; take: number }
  | { kind: 'paused'; line: string; cue: number; take: number }
  | { kind: 'going on'; line: string; cue: number; from: number; take: number }
  | { kind: 'finishing'; line: string; take: number }
  | { kind: 'saving'; line: string; take: number }
  | { kind: 'saved'; line: string; take: number; file: string; said: string }
  | { kind: 'failed'; said: string }

/** What is said of a take that is with the server. */
type SavedTake = { line: string; number: number; file: string }

type Begun = { id: string; number: number; file: string; folder: string }

/** What the recorder needs to know of a line. */
export type RecordedLine = { id: string; slot: Span | null }

/** Beats before the cue, and how long each is in samples. */
type CountIn = { beats: number; beat: number }
const THREE: CountIn = { beats: 3, beat: BEAT }
/** A beat is no shorter than a second: the last beep must be over when the kept sound begins. */
export const BEATS = { least: 2, most: 6, lengths: [1, 1.25, 1.5, 2] } as const

/** How a take is read. */
export type Reading = {
  score: Score
  /** Whether the film is heard, so that the reader follows the sound; otherwise the picture. */
  guide: 'ear' | 'eye'
  /** Where a pick-up begins; a whole take begins with the slot. */
  cue?: number | null
  /** It only holds a place until the real reading is there. */
  scratch?: boolean
  count?: CountIn
  /** Whether its beats are heard. Through loudspeakers (`aloud`) the room goes on sounding: the last one is left out, so that
   * it is more than a second old when the kept sound begins. */
  beeps?: 'heard' | 'aloud' | 'none'
}

export type Level = { peak: number; rms: number; held: number; clipped: boolean }

/** The measured way of sound from schedule to label, in samples; `fresh`: in this very context. */
export type Loop = { latency: number; spread: number; fresh: boolean }

type Live = {
  line: RecordedLine
  reading: Reading
  cue: number
  begun: Begun | null
  /** The place that the server was asked for, and may answer late. */
  asked: Promise<Begun> | null
  armed: boolean
  off: boolean
  /** Ended by a fault, and what to say of it. */
  cut: string
  notes: ClockNotes
  /** Context frame and sample at which capture goes (or went) on. */
  from: number
  base: number
}

/** What the recorder asks of the server. */
export type RecorderDoors = {
  /** The cookie's token, without which the server takes nothing; another one after signing in again. */
  token: () => string
  begin: (line: string, input: string, cue: number | null, scratch: boolean) => Promise<Begun>
  abandon: (take: string) => Promise<void>
  roundTrip: (devices: Devices) => Promise<{ latency: number; spread: number } | null>
  measure: (devices: Devices, sound: ArrayBuffer) => Promise<{ latency: number; spread: number }>
  loopSound: () => Promise<ArrayBuffer>
}

/** Peaks above this are somebody's, or at least something's: a whisper near the microphone is louder. */
const VOICED = 0.01
/** Below this nothing comes from the input: the quietest room is louder. */
const ALIVE = 0.00005
const PATIENCE = 2 * SAMPLE_RATE

/** Records takes: input -> worklet -> outbox -> server, on the transport's clock. */
export class Recorder {
  readonly state = new Observable<BoothState>({ kind: 'ready' })
  readonly input = new Observable<{ choice: InputChoice | null; channels: number; said: string }>({
    choice: null,
    channels: 1,
    said: '',
  })
  readonly waiting = new Observable<{ bytes: number; takes: number; online: boolean; reached: boolean; said: string }>({
    bytes: 0,
    takes: 0,
    online: true,
    reached: true,
    said: '',
  })
  /** The measured round trip of the open input, if there is one. */
  readonly loop = new Observable<Loop | null>(null)
  /** Another window of this browser records too. */
  readonly crowded = new Observable(false)
  /** While it records: nobody has been heard yet for two seconds, or the input has gone dead. */
  readonly unheard = new Observable<false | 'nobody' | 'dead'>(false)
  /** Mistakes that were marked in the take that is read. */
  readonly marks = new Observable(0)
  /** The level now; drawn every frame, so it is a plain value and not watched. */
  readonly level: Level = { peak: 0, rms: 0, held: 0, clipped: false }
  /** The waveform of the take that is being recorded. */
  readonly wave = new GrowingWave(COLUMN)
  /** What the reader hears of it. */
  readonly own: OwnVoice
  onSaved: (take: unknown) => void = () => {}
  private outbox = new OutboxWorker()
  private capture: AudioWorkletNode | undefined
  private opened: OpenInput | undefined
  private live: Live | undefined
  private opening = 0
  private pending: Promise<void> = Promise.resolve()
  private heldUntil = 0
  private ticked = 0
  /** The server is told that a take was called off. */
  private forgetting: Promise<void> = Promise.resolve()
  private readonly samples = new Float32Array(2048)
  /** The sound stood still since the input was opened: its way in may have become longer. */
  private broken = false
  private listening: ((news: CaptureNews) => void) | undefined

  constructor(
    private readonly audio: Audio,
    private readonly transport: Transport,
    picture: Picture,
    private readonly doors: RecorderDoors,
  ) {
    this.own = new OwnVoice(audio)
    this.outbox.onmessage = ({ data }: MessageEvent<OutboxNews>) => this.hear(data)
    this.outbox.onerror = () => this.outboxFailed()
    window.addEventListener('beforeunload', (event) => this.isBusy && event.preventDefault())
    audio.clock.onReading = (frame, microseconds) => this.live?.notes.pair('output', frame, microseconds)
    picture.onSeen = (frame, at) => this.live?.notes.pair('seen', frame, Math.round(at * 1000))
    transport.onAnchor = (frame, position) => this.live?.notes.pair('transport', frame, position)
    audio.clock.onBreak = () => {
      this.broken = true
    }
    // Another headphone is another way: what was measured with the old one does not hold.
    navigator.mediaDevices?.addEventListener?.('devicechange', () => void this.lookAgain())
    audio.state.watch(() => audio.state.value !== 'running' && this.interrupted())
    setInterval(() => this.sendClock(), CLOCK_EVERY_MS)
  }

  /** Let what waits be sent. */
  authorise(): void {
    this.tellOutbox({ kind: 'csrf', token: this.doors.token() })
  }

  get isBusy(): boolean {
    return !['ready', 'saved', 'failed'].includes(this.state.value.kind)
  }

  /** Whether a microphone is open: its level moves. */
  get hears(): boolean {
    return this.opened !== undefined
  }

  /** The take that is being read, once it has its place. */
  get takeId(): string | undefined {
    return this.live?.begun?.id
  }

  /** Choose where sound comes from. */
  choose(choice: InputChoice): Promise<void> {
    if (this.isBusy) return Promise.resolve()
    this.pending = this.open(choice)
    return this.pending
  }

  private async open(choice: InputChoice): Promise<void> {
    const opening = ++this.opening
    this.own.attach(undefined)
    this.opened?.close()
    this.opened = undefined
    this.loop.set(null)
    this.level.clipped = false
    this.input.set({ choice, channels: 1, said: '' })
    try {
      const capture = await this.worklet()
      const opened = await openInput(this.audio, choice, (said, ends) => this.lost(said, ends))
      if (opening !== this.opening) return opened.close()
      opened.node.connect(capture)
      this.opened = opened
      this.own.attach(opened.node)
      this.broken = false
      this.input.set({ choice, channels: opened.channels, said: '' })
      void this.recall(opened)
    } catch (error) {
      if (opening !== this.opening) return
      const text = error instanceof InputProblem ? error.message : 'This input could not be opened. Choose another one.'
      this.input.set({ choice, channels: 1, said: text })
    }
  }

  private way = ''

  private async lookAgain(): Promise<void> {
    const { opened } = this
    if (!opened || opened.latencySource === 'none') return
    if (JSON.stringify(await devicesOf(opened.choice)) === this.way || this.opened !== opened) return
    this.loop.set(null)
    await this.recall(opened)
  }

  /** What an earlier loop test found for this input, in this browser. */
  private async recall(opened: OpenInput): Promise<void> {
    if (opened.latencySource === 'none') return
    const devices = await devicesOf(opened.choice)
    this.way = JSON.stringify(devices)
    const known = await this.doors.roundTrip(devices).catch(() => null)
    if (known && this.opened === opened && !this.loop.value) this.loop.set({ ...known, fresh: false })
  }

  /** The loop test: play the test sound, hear it come back, let the server find how long that took. */
  async measureLoop(signal: AbortSignal): Promise<void> {
    const sound = await this.audio.context.decodeAudioData(await this.doors.loopSound())
    this.own.hold(true)
    const heard = await this.listenTo(sound, signal).finally(() => this.own.hold(false))
    const { opened } = this
    if (!opened) return
    const found = await this.doors.measure(await devicesOf(opened.choice), packSamples(heard))
    if (this.opened === opened) this.loop.set({ ...found, fresh: true })
  }

  /** A line is next: whoever reads it may get ready. */
  prepare(line: string): void {
    this.opened?.prepare(line)
  }

  /** How loud a channel of the input is now: its peak over the last 40 ms. */
  peakOf(channel: number): number {
    const meter = this.opened?.meters[channel]
    if (!meter) return 0
    meter.getFloatTimeDomainData(this.samples)
    let peak = 0
    for (const sample of this.samples) peak = Math.max(peak, Math.abs(sample))
    return peak
  }

  clearClip(): void {
    this.level.clipped = false
    this.level.held = 0
  }

  /** Samples from schedule to label: what is known best. */
  private roundTrip(): { latency: number; spread: number; fresh: boolean; source: 'none' | 'browser' | 'measured' } {
    const { opened, loop } = this
    if (!opened || opened.latencySource === 'none') return { latency: 0, spread: 0, fresh: true, source: 'none' }
    if (loop.value) return { ...loop.value, source: 'measured' }
    return { latency: this.audio.outputLatency + opened.latency, spread: 0, fresh: false, source: 'browser' }
  }

  /** Begin a take: pre-roll, count-in, and from the cue on it counts. */
  async record(line: RecordedLine, reading: Reading): Promise<void> {
    if (this.isBusy) return
    const cue = reading.cue ?? line.slot?.[0] ?? Math.max(0, this.transport.state.value.position)
    const notes = new ClockNotes()
    const live: Live = {
      line,
      reading,
      cue,
      begun: null,
      asked: null,
      armed: false,
      off: false,
      cut: '',
      notes,
      from: 0,
      base: 0,
    }
    this.live = live
    const { beeps = 'heard', count = THREE } = reading
    const from = cue - count.beats * count.beat - PRE_ROLL
    this.wave.clear()
    this.marks.set(0)
    this.clearClip()
    this.state.set({ kind: 'counting in', line: line.id, cue, from, count, take: null })
    await this.pending // a microphone that was chosen just now
    if (!this.opened) {
      this.live = undefined
      this.fail(this.input.value.said || 'No microphone is chosen. Choose one beside the button, then begin again.')
      return
    }
    if (this.broken && this.opened.latencySource === 'browser') {
      // A microphone's queue that grew while the sound stood still would make every later take late: it begins anew.
      await this.open(this.opened.choice)
      if (!this.opened) {
        this.live = undefined
        return this.fail(this.input.value.said)
      }
    }
    this.standAlone(live)
    this.opened.prepare(line.id)
    await this.audio.warm()
    // Else the number of a take that was called off would be left out.
    await Promise.race([this.forgetting, new Promise((done) => setTimeout(done, FORGETTING_MS))])
    if (live.off) return
    const begun = this.doors.begin(line.id, this.opened.choice.label, reading.cue ?? null, reading.scratch ?? false)
    begun.catch(() => {})
    live.asked = begun
    const countIn = async () => {
      if (!(await this.transport.play(from, { score: reading.score })) || live.off) {
        if (this.live === live) await this.callOff()
        return false
      }
      for (let beat = count.beats; beeps !== 'none' && beat > (beeps === 'aloud' ? 1 : 0); beat--)
        this.transport.beep(cue - beat * count.beat)
      return true
    }
    if (!(await countIn())) return
    try {
      live.begun = await begun
    } catch (error) {
      this.live = undefined
      this.transport.seek(cue)
      const away = error instanceof TypeError || !(error instanceof Error) || ('status' in error && error.status === 0)
      this.fail(
        away
          ? 'The server can’t be reached, so a take has no place to land. Nothing was recorded; try again when it is back.'
          : `${error.message} Nothing was recorded.`,
      )
      return
    }
    if (live.off) return
    // The place came later than the first word: it is there now, so the count-in is given again.
    if (this.transport.position() > cue - LATEST && !(await countIn())) return
    await this.arm(live)
  }

  /** Whether this is the only window that records now; said, not forbidden: every take is a file of its own. */
  private standAlone(live: Live): void {
    void navigator.locks.request('recording', { ifAvailable: true }, async (lock) => {
      this.crowded.set(lock === null)
      if (!lock) return
      await new Promise<void>((done) => {
        const end = this.state.watch(() => {
          if (this.live === live && this.isBusy) return
          end()
          done()
        })
      })
    })
  }

  private async arm(live: Live): Promise<void> {
    const input = this.opened
    const begun = live.begun!
    if (!input) return this.callOff()
    const way = this.roundTrip()
    const wanted = this.transport.frameOf(live.cue - LEAD) + way.latency
    live.from = Math.max(wanted, this.audio.soon(0.02))
    // The simulated reader is on the schedule itself and sees nothing.
    live.notes.say({ ...way, guide: way.source === 'none' ? 'ear' : live.reading.guide })
    live.notes.pair('capture', 0, live.from)
    const asked = { input: input.choice.label, cue: live.reading.cue ?? null }
    this.tellOutbox({ kind: 'open', id: begun.id, line: live.line.id, asked, clock: live.notes.give() })
    this.tellCapture({ kind: 'arm', id: begun.id, from: live.from })
    live.armed = true
    const { value } = this.state
    if (value.kind === 'counting in') this.state.set({ ...value, take: begun.number })
    try {
      await input.cue(this.transport.frameOf(live.cue))
    } catch (error) {
      await this.callOff()
      this.fail(error instanceof Error ? error.message : 'The input gave no sound.')
    }
  }

  private sendClock(): void {
    const { live } = this
    this.tick()
    if (this.state.value.kind === 'recording' && ++this.silent === SILENT_TICKS) this.outboxFailed()
    if (live?.armed && live.begun) this.tellOutbox({ kind: 'clock', id: live.begun.id, part: live.notes.give() })
  }

  /** Called once an animation frame (and by a timer, for a tab in the background has none): the count-in ends in time. */
  tick(): void {
    const { value } = this.state
    const counts = value.kind === 'going on' || (value.kind === 'counting in' && value.take !== null)
    if (counts && this.transport.position() >= value.cue) {
      const cue = this.live?.cue ?? value.cue
      this.state.set({ kind: 'recording', line: value.line, cue, take: value.take! })
    }
    const now = performance.now()
    if (now > this.heldUntil) this.level.held *= HELD_FALLS ** ((now - this.ticked) / 1000)
    this.ticked = now
  }

  /** The reader marks a mistake: it goes with the take, at what is spoken now. */
  mark(): void {
    const { live } = this
    if (this.state.value.kind !== 'recording' || !live) return
    const frame = this.audio.soon(0)
    live.notes.pair('marks', Math.max(0, frame - live.from + live.base), frame)
    this.marks.set(this.marks.value + 1)
  }

  /** Hold the take: nothing is kept from here on until it goes on. */
  pause(): void {
    const { value } = this.state
    if (value.kind !== 'recording' || !this.live) return
    this.tellCapture({ kind: 'hold', at: this.audio.soon(0) })
    this.transport.stop()
    this.opened?.hush()
    this.state.set({ ...value, kind: 'paused' })
  }

  /** Go on where it was held, with a run-up. */
  async goOn(): Promise<void> {
    const { value } = this.state
    const { live } = this
    if (value.kind !== 'paused' || !live || !live.base) return
    // The programme's place of the next sample: where the last one lay, plus one.
    const place = this.transport.anchorPosition + (live.from - this.transport.anchorFrame) - this.roundTrip().latency
    this.state.set({ kind: 'going on', line: value.line, cue: place, from: place - RUN_UP, take: value.take })
    if (!(await this.transport.play(place - RUN_UP, { score: live.reading.score })) || live.off) return
    live.from = this.transport.frameOf(place) + this.roundTrip().latency
    live.notes.pair('capture', live.base, live.from)
    this.tellCapture({ kind: 'resume', from: live.from })
    await this.opened?.cue(this.transport.frameOf(place)).catch(() => {})
  }

  /** Stop: what sounds falls silent at once, the handle after the stop is still kept. In the count-in: call it off. */
  async stop(): Promise<void> {
    const { value } = this.state
    if (value.kind === 'counting in') return this.callOff()
    if (value.kind === 'recording' || value.kind === 'paused' || value.kind === 'going on') {
      this.finish(value.line, value.take, value.kind === 'recording' ? HANDLE : 0)
    }
  }

  private finish(line: string, take: number, handle: number): void {
    this.state.set({ kind: 'finishing', line, take })
    this.tellCapture({ kind: 'end', at: this.audio.soon(0) + handle })
    this.transport.stop()
    this.opened?.hush()
  }

  /** End a count-in before its line began: there is no take then. */
  private async callOff(): Promise<void> {
    const { live } = this
    if (!live) return
    live.off = true
    this.live = undefined
    this.tellCapture({ kind: 'drop' })
    this.opened?.hush()
    this.transport.seek(live.cue)
    this.state.set({ kind: 'ready' })
    if (live.asked) this.forgetting = live.asked.then(({ id }) => this.doors.abandon(id)).catch(() => {})
    if (live.begun) {
      this.tellOutbox({ kind: 'forget', id: live.begun.id })
      await this.forgetting
    }
  }

  /** A failure was read: back to ready. */
  dismiss(): void {
    if (this.state.value.kind === 'failed' || this.state.value.kind === 'saved') this.state.set({ kind: 'ready' })
  }

  private fail(said: string): void {
    this.state.set({ kind: 'failed', said })
  }

  /** Something is wrong with the microphone; `ends`: nothing that can be used comes from it any more. */
  private lost(said: string, ends: boolean): void {
    this.input.update({ said })
    if (ends) this.cutOff(said, HANDLE / 20)
  }

  /** End the take by a fault; what was recorded until then is kept. */
  private cutOff(said: string, handle: number): void {
    const { live } = this
    const { value } = this.state
    if (!live || !('take' in value)) return
    if (value.kind === 'counting in') {
      void this.callOff().then(() => this.fail(`${said.split('. ')[0]}. It was in the count-in: nothing was recorded.`))
    } else if (value.kind !== 'saving' && value.kind !== 'saved' && value.kind !== 'finishing') {
      live.cut = said
      if (value.kind !== 'paused')
        live.notes.note(Math.max(0, this.audio.soon(0) - live.from + live.base), said.split('. ')[0]!)
      this.finish(value.line, value.take, handle)
    }
  }

  /** The context stopped: the machine slept, or the output went away. */
  private interrupted(): void {
    if (!this.live || !this.isBusy) return
    const said =
      'The computer’s sound stopped for a while (it slept, or its sound device went away). What was read until then is kept; read the line again.'
    this.cutOff(said, 0)
    const { live } = this
    void this.audio.context.resume().catch(() => {})
    setTimeout(() => {
      if (this.live === live && this.audio.context.state !== 'running') this.closeByOutbox()
    }, REVIVAL_MS)
  }

  /** The worklet does not run any more and can't close the take: what the outbox has of it is the take. */
  private closeByOutbox(): void {
    const { live } = this
    if (!live?.begun || this.state.value.kind !== 'finishing') return
    this.tellCapture({ kind: 'drop' })
    this.tellOutbox({ kind: 'cut', id: live.begun.id, clock: live.notes.give() })
    this.transport.seek(live.cue)
    this.state.set({ kind: 'saving', line: live.line.id, take: live.begun.number })
  }

  /** The part that hears the microphone has fallen: the take ends there, and another such part is made. */
  private captureFailed(): void {
    this.cutOff('What hears the microphone failed. What was read until then is kept; read the line again.', 0)
    this.closeByOutbox()
    this.capture = undefined
    if (this.opened) this.pending = this.open(this.opened.choice)
  }

  private async worklet(): Promise<AudioWorkletNode> {
    if (this.capture) return this.capture
    await this.audio.context.audioWorklet.addModule(captureUrl)
    // What waits in the browser must not be cleared away when its disk gets full.
    void navigator.storage?.persist?.().catch(() => false)
    const capture = new AudioWorkletNode(this.audio.context, 'capture', { numberOfOutputs: 0, channelCount: 1 })
    const { port1, port2 } = new MessageChannel()
    capture.port.postMessage({ kind: 'sink', port: port1 } satisfies CaptureOrder, [port1])
    this.outbox.postMessage({ kind: 'source', port: port2 } satisfies OutboxOrder, [port2])
    capture.port.onmessage = ({ data }: MessageEvent<CaptureNews>) => this.listen(data)
    capture.addEventListener('processorerror', () => this.captureFailed())
    this.capture = capture
    return capture
  }

  /**
   * Play a sound and record what the microphone hears from the same frame on: the loop test. The sound is not a take.
   *
   * `signal` calls it off.
   */
  async listenTo(sound: AudioBuffer, signal: AbortSignal): Promise<Float32Array> {
    if (this.isBusy) throw new InputProblem('A take is being recorded. Stop it, then measure.')
    await this.pending
    if (!this.opened) throw new InputProblem('No microphone is chosen. Choose one, then measure.')
    await this.audio.warm()
    this.transport.stop()
    const from = this.audio.soon(0.15)
    const heard = new Float32Array(sound.length)
    const source = new AudioBufferSourceNode(this.audio.context, { buffer: sound })
    source.connect(this.audio.out)
    source.start(from / SAMPLE_RATE)
    const id = `loop ${from}`
    try {
      await new Promise<void>((done, refuse) => {
        const late = setTimeout(
          () => refuse(new InputProblem('No sound came from the microphone in time. Choose it again, then measure.')),
          (sound.length / SAMPLE_RATE) * 1000 + 20_000,
        )
        signal.addEventListener('abort', () => {
          clearTimeout(late)
          refuse(new DOMException('called off', 'AbortError'))
        })
        this.listening = (news) => {
          if (news.kind === 'piece' && news.id === id) heard.set(news.samples, news.offset)
          if ((news.kind !== 'ended' && news.kind !== 'gaps') || news.id !== id) return
          clearTimeout(late)
          if (news.kind === 'ended') done()
          else refuse(new InputProblem('Sound was lost during the test. Close other programs, then measure.'))
        }
        this.tellCapture({ kind: 'arm', id, from, here: true })
        this.tellCapture({ kind: 'end', at: from + sound.length })
      })
    } finally {
      this.listening = undefined
      this.tellCapture({ kind: 'drop' })
      source.stop()
      source.disconnect()
    }
    return heard
  }

  private voiced = 0
  private alive = 0

  /** Whether anything is heard since the cue: frames at which a voice, and at which any sound, came last. */
  private heed(frame: number, peak: number): void {
    if (this.state.value.kind !== 'recording' || !this.live) {
      this.voiced = 0
      this.alive = frame
      this.unheard.set(false)
      return
    }
    if (peak > VOICED) this.voiced = frame
    if (peak > ALIVE) this.alive = frame
    const since = this.transport.frameOf(this.live.cue)
    const dead = frame - Math.max(this.alive, since) > PATIENCE
    const nobody = !this.voiced && frame - since > PATIENCE
    this.unheard.set(dead ? 'dead' : nobody && 'nobody')
  }

  private listen(news: CaptureNews): void {
    this.listening?.(news)
    if (news.kind === 'level') {
      const { level } = this
      level.peak = news.peak
      level.rms = news.rms
      level.clipped ||= news.clipped
      if (news.peak >= level.held) {
        level.held = news.peak
        this.heldUntil = performance.now() + 1500
      }
      const { kind } = this.state.value
      this.heed(news.frame, news.peak)
      const begun = this.live?.armed && news.frame >= this.transport.frameOf(this.live.cue)
      if (begun && (kind === 'recording' || kind === 'counting in' || kind === 'finishing')) this.wave.push(news.peak)
    } else if (news.kind === 'held') {
      const { live } = this
      if (live?.begun?.id !== news.id) return
      // From here on `from` is the frame that the next sample would have had, and `base` its number.
      live.from += news.total - live.base
      live.base = news.total
    } else if (news.kind === 'gaps' || news.kind === 'repeats') {
      if (this.live?.begun?.id === news.id) this.live.notes.pair(news.kind, news.at, news.count)
    } else if (news.kind === 'ended') this.ended(news)
  }

  private ended({ id, total }: CaptureNews & { kind: 'ended' }): void {
    const { live } = this
    if (live?.begun?.id !== id) return
    this.tellOutbox({ kind: 'close', id, total, cutOff: live.cut !== '', clock: live.notes.give() })
    this.transport.seek(live.cue)
    this.state.set({ kind: 'saving', line: live.line.id, take: live.begun!.number })
  }

  /** It tells twice a second what waits while sound comes in; when it falls silent the reader must know. */
  private silent = 0
  private outboxFailed(): void {
    this.waiting.update({ online: true, reached: true, said: OUTBOX_FAILED })
  }

  private hear(news: OutboxNews): void {
    this.silent = 0
    if (news.kind === 'waiting') {
      const { kind, ...rest } = news
      this.waiting.set(rest)
      if (!news.online) this.authorise()
    } else if (news.kind === 'saved') {
      this.onSaved(news.take)
      if (news.recovered) this.tellRecovered(news.take as SavedTake, news.recovered)
      if (this.live?.begun?.id !== news.id) return
      const { line, cut } = this.live
      const { number, file } = news.take as SavedTake
      this.live = undefined
      this.state.set({ kind: 'saved', line: line.id, take: number, file, said: cut })
      this.opened?.prepare(line.id)
    } else if (this.live?.begun?.id === news.id) {
      this.live = undefined
      this.tellCapture({ kind: 'drop' })
      this.fail(news.said)
    }
  }

  /** A take of an earlier page, sent by this one: said while nothing else is. */
  private tellRecovered(take: SavedTake, how: 'cut off' | 'whole'): void {
    if (this.state.value.kind !== 'ready') return
    const said =
      how === 'cut off'
        ? 'It was cut off when the page went away. What was read until then is kept; read the line again.'
        : 'It was still on its way when the page went away, and is whole.'
    this.state.set({ kind: 'saved', line: take.line, take: take.number, file: take.file, said })
  }

  private tellOutbox(order: OutboxOrder): void {
    this.outbox.postMessage(order)
  }

  private tellCapture(order: CaptureOrder): void {
    this.capture?.port.postMessage(order)
  }
}
