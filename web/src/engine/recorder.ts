import type { Audio } from './audio'
import type { CaptureNews, CaptureOrder } from './capture.worklet'
import captureUrl from './capture.worklet?worker&url'
import { type InputChoice, InputProblem, type OpenInput, openInput } from './inputs'
import { Observable } from './observable'
import type { ClockLog, OutboxNews, OutboxOrder } from './outbox'
import OutboxWorker from './outbox.worker?worker'
import { SAMPLE_RATE, type Span } from './time'
import type { Score, Transport } from './transport'

/** Sound kept before the slot's first frame and after the stop. */
const HANDLE = SAMPLE_RATE
const BEAT = SAMPLE_RATE
const PRE_ROLL = Math.round(3.5 * SAMPLE_RATE)

/** The one unmistakable state of the Booth. */
export type BoothState =
  | { kind: 'ready' }
  | { kind: 'counting in'; line: string; cue: number; from: number; take: number | null }
  | { kind: 'recording'; line: string; cue: number; take: number }
  | { kind: 'finishing'; line: string; take: number }
  | { kind: 'saving'; line: string; take: number }
  | { kind: 'saved'; line: string; take: number; file: string }
  | { kind: 'failed'; said: string }

export type Begun = { id: string; number: number; file: string; folder: string }

/** What the recorder needs to know of a line. */
export type RecordedLine = { id: string; slot: Span | null }

export type Level = { peak: number; rms: number; held: number; clipped: boolean }

/** One column of the growing waveform: 21 ms. */
export type Column = { peak: number; rms: number }

type Live = { line: RecordedLine; cue: number; begun: Begun | null; armed: boolean; off: boolean }

/** Records takes: input -> worklet -> outbox -> server, on the transport's clock. */
export class Recorder {
  readonly state = new Observable<BoothState>({ kind: 'ready' })
  readonly input = new Observable<{ choice: InputChoice | null; channels: number; said: string }>({
    choice: null,
    channels: 1,
    said: '',
  })
  readonly waiting = new Observable<{ bytes: number; takes: number; online: boolean; said: string }>({
    bytes: 0,
    takes: 0,
    online: true,
    said: '',
  })
  /** The level now; drawn every frame, so it is a plain value and not watched. */
  readonly level: Level = { peak: 0, rms: 0, held: 0, clipped: false }
  /** The waveform of the take that is being recorded. */
  columns: Column[] = []
  onSaved: (take: unknown, recovered: boolean) => void = () => {}
  private outbox = new OutboxWorker()
  private capture: AudioWorkletNode | undefined
  private opened: OpenInput | undefined
  private live: Live | undefined
  private opening = 0
  private pending: Promise<void> = Promise.resolve()
  private heldUntil = 0

  constructor(
    private readonly audio: Audio,
    private readonly transport: Transport,
    private readonly begin: (line: string, input: string) => Promise<Begun>,
    private readonly abandon: (take: string) => Promise<void>,
  ) {
    this.outbox.onmessage = ({ data }: MessageEvent<OutboxNews>) => this.hear(data)
    window.addEventListener('beforeunload', (event) => this.isBusy && event.preventDefault())
  }

  /** The cookie's token, without which the server takes nothing. */
  authorise(token: string): void {
    this.tellOutbox({ kind: 'csrf', token })
  }

  get isBusy(): boolean {
    return !['ready', 'saved', 'failed'].includes(this.state.value.kind)
  }

  /** Choose where sound comes from. */
  choose(choice: InputChoice): Promise<void> {
    if (this.isBusy) return Promise.resolve()
    this.pending = this.open(choice)
    return this.pending
  }

  private async open(choice: InputChoice): Promise<void> {
    const opening = ++this.opening
    this.opened?.close()
    this.opened = undefined
    this.level.clipped = false
    this.input.set({ choice, channels: 1, said: '' })
    try {
      const capture = await this.worklet()
      const opened = await openInput(this.audio, choice, (said) => this.lost(said))
      if (opening !== this.opening) return opened.close()
      opened.node.connect(capture)
      this.opened = opened
      this.input.set({ choice, channels: opened.channels, said: '' })
    } catch (error) {
      if (opening !== this.opening) return
      const text = error instanceof InputProblem ? error.message : 'This input could not be opened. Choose another one.'
      this.input.set({ choice, channels: 1, said: text })
    }
  }

  /** A line is next: whoever reads it may get ready. */
  prepare(line: string): void {
    this.opened?.prepare(line)
  }

  clearClip(): void {
    this.level.clipped = false
    this.level.held = 0
  }

  /** Begin a take: pre-roll, count-in, and from the slot's first frame on it counts. */
  async record(line: RecordedLine, score: Score): Promise<void> {
    if (this.isBusy) return
    const cue = line.slot ? line.slot[0] : Math.max(0, this.transport.state.value.position)
    const live: Live = { line, cue, begun: null, armed: false, off: false }
    this.live = live
    this.columns = []
    this.level.held = 0
    this.state.set({ kind: 'counting in', line: line.id, cue, from: cue - PRE_ROLL, take: null })
    await this.pending // a microphone that was chosen just now
    if (!this.opened) {
      this.live = undefined
      this.fail(this.input.value.said || 'No microphone is chosen. Choose one beside the button, then begin again.')
      return
    }
    this.opened.prepare(line.id)
    const begun = this.begin(line.id, this.opened.choice.label)
    begun.catch(() => {})
    if (!(await this.transport.play(cue - PRE_ROLL, { score })) || live.off) {
      if (this.live === live) await this.callOff()
      return
    }
    for (const beat of [3, 2, 1]) this.transport.beep(cue - beat * BEAT)
    try {
      live.begun = await begun
    } catch (error) {
      this.live = undefined
      this.transport.seek(cue)
      this.fail(`${error instanceof Error ? error.message : 'The take could not begin.'} Nothing was recorded.`)
      return
    }
    if (live.off) return void this.abandon(live.begun.id)
    await this.arm(live)
  }

  private async arm(live: Live): Promise<void> {
    const input = this.opened
    const begun = live.begun!
    if (!input) return this.callOff()
    const out = input.latencySource === 'none' ? 0 : this.audio.outputLatency
    const wanted = this.transport.frameOf(live.cue - HANDLE) + out + input.latency
    const from = Math.max(wanted, this.audio.soon(0.02))
    const clock: ClockLog = {
      capture_frame: from,
      transport_frame: this.transport.anchorFrame,
      transport_position: this.transport.anchorPosition,
      output_latency: out,
      input_latency: input.latency,
      source: input.latencySource,
      gaps: [],
    }
    this.tellOutbox({ kind: 'open', id: begun.id, line: live.line.id, clock })
    this.tellCapture({ kind: 'arm', id: begun.id, from })
    live.armed = true
    this.state.set({
      kind: 'counting in',
      line: live.line.id,
      cue: live.cue,
      from: live.cue - PRE_ROLL,
      take: begun.number,
    })
    try {
      await input.cue(this.transport.frameOf(live.cue))
    } catch (error) {
      await this.callOff()
      this.fail(error instanceof Error ? error.message : 'The input gave no sound.')
    }
  }

  /** Called once an animation frame: the count-in ends when the slot's first frame is heard. */
  tick(): void {
    const { value } = this.state
    if (value.kind === 'counting in' && value.take !== null && this.transport.position() >= value.cue) {
      this.state.set({ kind: 'recording', line: value.line, cue: value.cue, take: value.take })
    }
    const now = performance.now()
    if (now > this.heldUntil) this.level.held *= 0.98
  }

  /** Stop: what sounds falls silent at once, the handle after the stop is still kept. In the count-in: call it off. */
  async stop(): Promise<void> {
    const { value } = this.state
    if (value.kind === 'counting in') return this.callOff()
    if (value.kind !== 'recording') return
    this.state.set({ kind: 'finishing', line: value.line, take: value.take })
    this.tellCapture({ kind: 'end', at: this.audio.soon(0) + HANDLE })
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
    if (live.begun && live.armed) {
      this.tellOutbox({ kind: 'forget', id: live.begun.id })
      await this.abandon(live.begun.id).catch(() => {})
    }
  }

  /** A failure was read: back to ready. */
  dismiss(): void {
    if (this.state.value.kind === 'failed' || this.state.value.kind === 'saved') this.state.set({ kind: 'ready' })
  }

  private fail(said: string): void {
    this.state.set({ kind: 'failed', said })
  }

  private lost(said: string): void {
    this.input.update({ said })
    if (this.state.value.kind === 'recording') void this.stop()
    else if (this.state.value.kind === 'counting in') void this.callOff()
  }

  private async worklet(): Promise<AudioWorkletNode> {
    if (this.capture) return this.capture
    await this.audio.context.audioWorklet.addModule(captureUrl)
    const capture = new AudioWorkletNode(this.audio.context, 'capture', { numberOfOutputs: 0, channelCount: 1 })
    const { port1, port2 } = new MessageChannel()
    capture.port.postMessage({ kind: 'sink', port: port1 } satisfies CaptureOrder, [port1])
    this.outbox.postMessage({ kind: 'source', port: port2 } satisfies OutboxOrder, [port2])
    capture.port.onmessage = ({ data }: MessageEvent<CaptureNews>) => this.listen(data)
    this.capture = capture
    return capture
  }

  private listen(news: CaptureNews): void {
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
      const begun = this.live?.armed && news.frame >= this.transport.frameOf(this.live.cue)
      if (begun && (kind === 'recording' || kind === 'counting in' || kind === 'finishing')) {
        this.columns.push({ peak: news.peak, rms: news.rms })
      }
    } else if (news.kind === 'ended') this.ended(news.total, news.gaps)
  }

  private ended(total: number, gaps: [number, number][]): void {
    const { live } = this
    if (!live?.begun) return
    this.tellOutbox({ kind: 'close', id: live.begun.id, total, gaps })
    this.transport.seek(live.cue)
    this.state.set({ kind: 'saving', line: live.line.id, take: live.begun.number })
  }

  private hear(news: OutboxNews): void {
    if (news.kind === 'waiting') {
      const { kind, ...rest } = news
      this.waiting.set(rest)
    } else if (news.kind === 'saved') {
      this.onSaved(news.take, news.recovered)
      if (this.live?.begun?.id !== news.id) return
      const { line, begun } = this.live
      this.live = undefined
      this.state.set({ kind: 'saved', line: line.id, take: begun.number, file: begun.file })
      this.opened?.prepare(line.id)
    } else if (this.live?.begun?.id === news.id) {
      this.live = undefined
      this.tellCapture({ kind: 'drop' })
      this.fail(news.said)
    }
  }

  private tellOutbox(order: OutboxOrder): void {
    this.outbox.postMessage(order)
  }

  private tellCapture(order: CaptureOrder): void {
    this.capture?.port.postMessage(order)
  }
}
