import { FrameCounter, QUANTUM } from './framecounter'

/** What the recorder tells the worklet. Frames are those of the audio context. */
export type CaptureOrder =
  | { kind: 'sink'; port: MessagePort }
  /** `here`: the sound goes to the recorder itself and is no take. */
  | { kind: 'arm'; id: string; from: number; here?: boolean }
  | { kind: 'hold'; at: number }
  | { kind: 'resume'; from: number }
  | { kind: 'end'; at: number }
  | { kind: 'drop' }

/** Sound on its way to the outbox: `offset` is the sample of the take, `samples` mono floats. */
export type CapturedPiece = { kind: 'piece'; id: string; offset: number; samples: Float32Array }

/** What the worklet tells the recorder. */
export type CaptureNews =
  | { kind: 'level'; frame: number; peak: number; rms: number; clipped: boolean }
  | { kind: 'began'; frame: number }
  | { kind: 'held'; id: string; total: number }
  | { kind: 'ended'; id: string; total: number }
  /** Told at once, so that a take that never ends says it too: `count` samples from `at` on never came, or came twice. */
  | { kind: 'gaps' | 'repeats'; id: string; at: number; count: number }
  | CapturedPiece

/** 100 ms: what a killed browser may lose is at most this and what is on its way into the storage. */
const PIECE = 4800
const LEVEL_QUANTA = 8
/** Three level samples at full scale in a row are a flat top; see the core's `clipped_spans`. */
const CEILING = 0.9999
/** A longer gap is not filled: it is no gap of the sound but of the machine, and ends the take elsewhere. */
const LONGEST_GAP = 48_000 * 10

type Capturing = {
  id: string
  here: boolean
  /** Frame of the sample `base`; after a pause both are new. */
  from: number
  base: number
  until: number
  held: boolean
  holdAt: number
  filled: number
  sent: number
}

class Capture extends AudioWorkletProcessor {
  private counter = new FrameCounter()
  private sink: MessagePort | undefined
  private take: Capturing | undefined
  private buffer = new Float32Array(PIECE)
  private used = 0
  private quanta = 0
  private peak = 0
  private power = 0
  private flat = 0
  private clipped = false

  constructor() {
    super()
    this.port.onmessage = ({ data }: MessageEvent<CaptureOrder>) => this.obey(data)
  }

  private obey(order: CaptureOrder): void {
    const { take } = this
    if (order.kind === 'sink') this.sink = order.port
    else if (order.kind === 'arm') {
      this.used = 0
      this.take = {
        id: order.id,
        here: order.here ?? false,
        from: order.from,
        base: 0,
        until: Number.POSITIVE_INFINITY,
        held: false,
        holdAt: Number.POSITIVE_INFINITY,
        filled: 0,
        sent: 0,
      }
    } else if (order.kind === 'drop') this.take = undefined
    else if (!take) return
    else if (order.kind === 'hold') take.holdAt = Math.max(order.at, this.due(take))
    else if (order.kind === 'resume') {
      take.from = order.from
      take.base = take.filled
      take.held = false
      take.holdAt = Number.POSITIVE_INFINITY
    } else if (take.held) this.end(take)
    else take.until = Math.max(order.at, this.due(take))
  }

  /** Frame of the take's next sample. */
  private due(take: Capturing): number {
    return take.from + take.filled - take.base
  }

  process(inputs: Float32Array[][]): boolean {
    const { first, repeated } = this.counter.advance(currentFrame)
    // Nothing connected or a sleeping source gives no channel: that is silence, and it is counted like any other.
    const heard = inputs[0]?.[0] ?? new Float32Array(QUANTUM)
    this.measure(heard, first)
    const { take } = this
    if (take && !take.held) {
      if (repeated && take.filled) this.tell('repeats', take, repeated)
      this.collect(take, heard, first)
    }
    return true
  }

  private collect(take: Capturing, heard: Float32Array, first: number): void {
    const before = this.due(take)
    if (take.filled === 0 && first + QUANTUM > take.from) this.post({ kind: 'began', frame: take.from })
    const stop = Math.min(take.until, take.holdAt)
    if (first > before) {
      // Sound that never came, or an order to begin that came late: silence, so that what follows lies where it belongs.
      this.tell('gaps', take, first - before)
      for (let i = Math.min(first - before, LONGEST_GAP); i > 0 && this.due(take) < stop; i--) this.push(take, 0)
      if (first - before > LONGEST_GAP) {
        take.from = first
        take.base = take.filled
      }
    }
    for (let i = Math.max(0, this.due(take) - first); i < QUANTUM && this.due(take) < stop; i++) this.push(take, heard[i]!)
    if (this.due(take) >= take.until) this.end(take)
    else if (this.due(take) >= take.holdAt) {
      this.flush(take)
      take.held = true
      this.post({ kind: 'held', id: take.id, total: take.filled })
    }
  }

  private end(take: Capturing): void {
    this.flush(take)
    this.take = undefined
    this.post({ kind: 'ended', id: take.id, total: take.filled })
  }

  private tell(kind: 'gaps' | 'repeats', take: Capturing, count: number): void {
    this.post({ kind, id: take.id, at: take.filled, count })
  }

  private push(take: Capturing, sample: number): void {
    this.buffer[this.used++] = sample
    take.filled++
    if (this.used === PIECE) this.flush(take)
  }

  private flush(take: Capturing): void {
    if (!this.used) return
    const samples = this.buffer.slice(0, this.used)
    const piece: CapturedPiece = { kind: 'piece', id: take.id, offset: take.sent, samples }
    const port = take.here ? this.port : this.sink
    port?.postMessage(piece, [samples.buffer])
    take.sent += this.used
    this.used = 0
  }

  private measure(heard: Float32Array, first: number): void {
    for (const sample of heard) {
      const size = Math.abs(sample)
      if (size > this.peak) this.peak = size
      this.power += sample * sample
      this.flat = size >= CEILING ? this.flat + 1 : 0
      if (this.flat >= 3) this.clipped = true
    }
    if (++this.quanta < LEVEL_QUANTA) return
    const rms = Math.sqrt(this.power / (QUANTUM * LEVEL_QUANTA))
    this.post({ kind: 'level', frame: first, peak: this.peak, rms, clipped: this.clipped })
    this.quanta = 0
    this.peak = 0
    this.power = 0
    this.clipped = false
  }

  private post(news: CaptureNews): void {
    this.port.postMessage(news)
  }
}

registerProcessor('capture', Capture)
