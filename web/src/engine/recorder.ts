import type { Audio } from './audio'
import type { CaptureNews } from './capture.worklet'
import { ClockNotes } from './clocklog'
import type { Input } from './input'
import { LiveWave } from './livewave'
import { Observable } from './observable'
import type { OutboxNews } from './outbox'
import type { OutboxLink } from './outboxlink'
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
/** How long a context that was suspended may take to come back before the take is closed without it. */
const REVIVAL_MS = 1500
/** So long the next take waits until the server has heard that one was called off. */
const FORGETTING_MS = 2000
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
  begin: (line: string, input: string, cue: number | null, scratch: boolean) => Promise<Begun>
  abandon: (take: string) => Promise<void>
}

/** Peaks above this are somebody's, or at least something's: a whisper near the microphone is louder. */
const VOICED = 0.01
/** Below this nothing comes from the input: the quietest room is louder. */
const ALIVE = 0.00005
const PATIENCE = 2 * SAMPLE_RATE

/** The take's way from count-in to saved: input -> worklet -> outbox -> server, on the transport's clock. */
export class Recorder {
  readonly state = new Observable<BoothState>({ kind: 'ready' })
  /** Another window of this browser records too. */
  readonly crowded = new Observable(false)
  /** While it records: nobody has been heard yet for two seconds, or the input has gone dead. */
  readonly unheard = new Observable<false | 'nobody' | 'dead'>(false)
  /** Mistakes that were marked in the take that is read. */
  readonly marks = new Observable(0)
  /** The waveform of the take that is being recorded. */
  readonly wave = new LiveWave(COLUMN)
  onSaved: (take: unknown) => void = () => {}
  private live: Live | undefined
  /** The server is told that a take was called off. */
  private forgetting: Promise<void> = Promise.resolve()
  /** Runs from the count-in to *Saved*. */
  private clock: ReturnType<typeof setInterval> | undefined

  constructor(
    private readonly audio: Audio,
    private readonly transport: Transport,
    picture: Picture,
    private readonly input: Input,
    private readonly outbox: OutboxLink,
    private readonly doors: RecorderDoors,
  ) {
    input.isTaken = () => this.isBusy
    input.onNews = (news) => this.listen(news)
    input.onLost = (said, ends) => ends && this.cutOff(said, HANDLE / 20)
    input.onFallen = () => this.captureFailed()
    outbox.onNews = (news) => this.hear(news)
    window.addEventListener('beforeunload', (event) => this.isBusy && event.preventDefault())
    audio.clock.onReading = (frame, microseconds) => this.live?.notes.pair('output', frame, microseconds)
    picture.onSeen = (frame, at) => this.live?.notes.pair('seen', frame, Math.round(at * 1000))
    transport.onAnchor = (frame, position) => this.live?.notes.pair('transport', frame, position)
    audio.state.watch(() => audio.state.value !== 'running' && this.interrupted())
    this.state.watch(() => this.runClock())
  }

  get isBusy(): boolean {
    return !['ready', 'saved', 'failed'].includes(this.state.value.kind)
  }

  /** The take that is being read, once it has its place. */
  get takeId(): string | undefined {
    return this.live?.begun?.id
  }

  /** A line is next: whoever reads it may get ready. */
  prepare(line: string): void {
    this.input.opened?.prepare(line)
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
    this.input.clearClip()
    this.state.set({ kind: 'counting in', line: line.id, cue, from, count, take: null })
    const input = await this.input.ready()
    if (!input) {
      this.live = undefined
      this.fail(this.input.chosen.value.said || 'No microphone is chosen. Choose one beside the button, then begin again.')
      return
    }
    this.standAlone(live)
    input.prepare(line.id)
    await this.audio.warm()
    // Else the number of a take that was called off would be left out.
    await Promise.race([this.forgetting, new Promise((done) => setTimeout(done, FORGETTING_MS))])
    if (live.off) return
    const begun = this.doors.begin(line.id, input.choice.label, reading.cue ?? null, reading.scratch ?? false)
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
    const input = this.input.opened
    const begun = live.begun!
    if (!input) return this.callOff()
    const way = this.input.way()
    const wanted = this.transport.frameOf(live.cue - LEAD) + way.latency
    live.from = Math.max(wanted, this.audio.soon(0.02))
    // The simulated reader is on the schedule itself and sees nothing.
    live.notes.say({ ...way, guide: way.source === 'none' ? 'ear' : live.reading.guide })
    live.notes.pair('capture', 0, live.from)
    const asked = { input: input.choice.label, cue: live.reading.cue ?? null }
    this.outbox.tell({ kind: 'open', id: begun.id, line: live.line.id, asked, clock: live.notes.give() })
    this.input.tell({ kind: 'arm', id: begun.id, from: live.from })
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

  private runClock(): void {
    if (this.isBusy) this.clock ??= setInterval(() => this.sendClock(), CLOCK_EVERY_MS)
    else {
      clearInterval(this.clock)
      this.clock = undefined
    }
  }

  private sendClock(): void {
    const { live } = this
    this.tick()
    if (this.state.value.kind === 'recording') this.outbox.tick()
    if (live?.armed && live.begun) this.outbox.tell({ kind: 'clock', id: live.begun.id, part: live.notes.give() })
  }

  /** Called once an animation frame (and by a timer, for a tab in the background has none): the count-in ends in time. */
  tick(): void {
    const { value } = this.state
    const counts = value.kind === 'going on' || (value.kind === 'counting in' && value.take !== null)
    if (counts && this.transport.position() >= value.cue) {
      const cue = this.live?.cue ?? value.cue
      this.state.set({ kind: 'recording', line: value.line, cue, take: value.take! })
    }
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
    this.input.tell({ kind: 'hold', at: this.audio.soon(0) })
    this.transport.stop()
    this.input.opened?.hush()
    this.state.set({ ...value, kind: 'paused' })
  }

  /** Go on where it was held, with a run-up. */
  async goOn(): Promise<void> {
    const { value } = this.state
    const { live } = this
    if (value.kind !== 'paused' || !live || !live.base) return
    // The programme's place of the next sample: where the last one lay, plus one.
    const place = this.transport.anchorPosition + (live.from - this.transport.anchorFrame) - this.input.way().latency
    this.state.set({ kind: 'going on', line: value.line, cue: place, from: place - RUN_UP, take: value.take })
    if (!(await this.transport.play(place - RUN_UP, { score: live.reading.score })) || live.off) return
    live.from = this.transport.frameOf(place) + this.input.way().latency
    live.notes.pair('capture', live.base, live.from)
    this.input.tell({ kind: 'resume', from: live.from })
    await this.input.opened?.cue(this.transport.frameOf(place)).catch(() => {})
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
    this.input.tell({ kind: 'end', at: this.audio.soon(0) + handle })
    this.transport.stop()
    this.input.opened?.hush()
  }

  /** End a count-in before its line began: there is no take then. */
  private async callOff(): Promise<void> {
    const { live } = this
    if (!live) return
    live.off = true
    this.live = undefined
    this.input.tell({ kind: 'drop' })
    this.input.opened?.hush()
    this.transport.seek(live.cue)
    this.state.set({ kind: 'ready' })
    if (live.asked) this.forgetting = live.asked.then(({ id }) => this.doors.abandon(id)).catch(() => {})
    if (live.begun) {
      this.outbox.tell({ kind: 'forget', id: live.begun.id })
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
    this.input.tell({ kind: 'drop' })
    this.outbox.tell({ kind: 'cut', id: live.begun.id, clock: live.notes.give() })
    this.transport.seek(live.cue)
    this.state.set({ kind: 'saving', line: live.line.id, take: live.begun.number })
  }

  /** The part that hears the microphone has fallen: the take ends there, and another such part is made. */
  private captureFailed(): void {
    this.cutOff('What hears the microphone failed. What was read until then is kept; read the line again.', 0)
    this.closeByOutbox()
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
    if (news.kind === 'level') {
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
    this.outbox.tell({ kind: 'close', id, total, cutOff: live.cut !== '', clock: live.notes.give() })
    this.transport.seek(live.cue)
    this.state.set({ kind: 'saving', line: live.line.id, take: live.begun!.number })
  }

  private hear(news: Exclude<OutboxNews, { kind: 'waiting' }>): void {
    if (news.kind === 'saved') {
      this.onSaved(news.take)
      if (news.recovered) this.tellRecovered(news.take as SavedTake, news.recovered)
      if (this.live?.begun?.id !== news.id) return
      const { line, cut } = this.live
      const { number, file } = news.take as SavedTake
      this.live = undefined
      this.state.set({ kind: 'saved', line: line.id, take: number, file, said: cut })
      this.input.opened?.prepare(line.id)
    } else if (this.live?.begun?.id === news.id) {
      this.live = undefined
      this.input.tell({ kind: 'drop' })
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
}
