import { FrameCounter, QUANTUM } from './labels'

/** What the recorder tells the worklet. Frames are those of the audio context. */
export type CaptureOrder =
  | { kind: 'sink'; port: MessagePort }
  | { kind: 'arm'; id: string; from: number }
  | { kind: 'end'; at: number }
  | { kind: 'drop' }

/** Sound on its way to the outbox: `offset` is the sample of the take, `samples` mono floats. */
export type CapturedPiece = { kind: 'piece'; id: string; offset: number; samples: Float32Array }

/** What the worklet tells the recorder. */
export type CaptureNews =
  | { kind: 'level'; frame: number; peak: number; rms: number; clipped: boolean }
  | { kind: 'began'; frame: number }
  | { kind: 'ended'; total: number; gaps: [number, number][] }

const PIECE = 9600
const LEVEL_QUANTA = 8
/** Three level samples at full scale in a row are a flat top; see the core's `clipped_spans`. */
const CEILING = 0.9999

class Capture extends AudioWorkletProcessor {
  private counter = new FrameCounter()
  private sink: MessagePort | undefined
  private take:
    | { id: string; from: number; until: number; filled: number; sent: number; gaps: [number, number][] }
    | undefined
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
    if (order.kind === 'sink') this.sink = order.port
    else if (order.kind === 'arm') {
      this.used = 0
      this.take = { id: order.id, from: order.from, until: Number.POSITIVE_INFINITY, filled: 0, sent: 0, gaps: [] }
    } else if (order.kind === 'end' && this.take) this.take.until = Math.max(order.at, this.take.from + this.take.filled)
    else if (order.kind === 'drop') this.take = undefined
  }

  process(inputs: Float32Array[][]): boolean {
    const { first, missing } = this.counter.advance(currentFrame)
    // Nothing connected or a sleeping source gives no channel: that is silence, and it is counted like any other.
    const heard = inputs[0]?.[0] ?? new Float32Array(QUANTUM)
    this.measure(heard)
    if (this.take) this.collect(heard, first, missing)
    return true
  }

  private collect(heard: Float32Array, first: number, missing: number): void {
    const take = this.take!
    if (take.filled === 0 && first + QUANTUM > take.from) this.post({ kind: 'began', frame: take.from })
    if (missing && take.filled > 0) {
      take.gaps.push([take.filled, missing])
      for (let i = 0; i < missing && take.from + take.filled < take.until; i++) this.push(0)
    }
    for (let i = Math.max(0, take.from - first); i < QUANTUM; i++) {
      if (take.from + take.filled >= take.until) break
      this.push(heard[i]!)
    }
    if (take.from + take.filled >= take.until) {
      this.flush()
      this.take = undefined
      this.post({ kind: 'ended', total: take.filled, gaps: take.gaps })
    }
  }

  private push(sample: number): void {
    this.buffer[this.used++] = sample
    this.take!.filled++
    if (this.used === PIECE) this.flush()
  }

  private flush(): void {
    const take = this.take!
    if (!this.used) return
    const samples = this.buffer.slice(0, this.used)
    const piece: CapturedPiece = { kind: 'piece', id: take.id, offset: take.sent, samples }
    this.sink?.postMessage(piece, [samples.buffer])
    take.sent += this.used
    this.used = 0
  }

  private measure(heard: Float32Array): void {
    for (const sample of heard) {
      const size = Math.abs(sample)
      if (size > this.peak) this.peak = size
      this.power += sample * sample
      this.flat = size >= CEILING ? this.flat + 1 : 0
      if (this.flat >= 3) this.clipped = true
    }
    if (++this.quanta < LEVEL_QUANTA) return
    const rms = Math.sqrt(this.power / (QUANTUM * LEVEL_QUANTA))
    this.post({ kind: 'level', frame: currentFrame, peak: this.peak, rms, clipped: this.clipped })
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
