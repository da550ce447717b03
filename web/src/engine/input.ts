import type { Audio } from './audio'
import type { CaptureNews, CaptureOrder } from './capture.worklet'
import captureUrl from './capture.worklet?worker&url'
import { type Devices, devicesOf, type InputChoice, InputProblem, type OpenInput, openInput } from './inputs'
import { Observable } from './observable'
import { OwnVoice } from './ownvoice'
import { packSamples } from './pack'
import { SAMPLE_RATE } from './time'
import type { Transport } from './transport'

/** What is left of the held peak a second after it begins to fall. */
const HELD_FALLS = 0.3
const HELD_MS = 1500

export type Level = { peak: number; rms: number; held: number; clipped: boolean }

/** The measured way of sound from schedule to label, in samples; `fresh`: in this very context. */
export type Loop = { latency: number; spread: number; fresh: boolean }

/** What is asked of the server about the way of sound. */
export type InputDoors = {
  roundTrip: (devices: Devices) => Promise<{ latency: number; spread: number } | null>
  measure: (devices: Devices, sound: ArrayBuffer) => Promise<{ latency: number; spread: number }>
  loopSound: () => Promise<ArrayBuffer>
}

/** The input that is chosen: it is opened, heard by the capture worklet, and measured. Takes are the recorder's. */
export class Input {
  readonly chosen = new Observable<{ choice: InputChoice | null; channels: number; said: string }>({
    choice: null,
    channels: 1,
    said: '',
  })
  /** The measured round trip of the open input, if there is one. */
  readonly loop = new Observable<Loop | null>(null)
  /** The level now; drawn every frame, so it is a plain value and not watched. */
  readonly level: Level = { peak: 0, rms: 0, held: 0, clipped: false }
  /** What the reader hears of it. */
  readonly own: OwnVoice
  /** What the capture worklet tells. */
  onNews: (news: CaptureNews) => void = () => {}
  /** Something is wrong with it; `ends`: nothing that can be used comes from it any more. */
  onLost: (said: string, ends: boolean) => void = () => {}
  /** The worklet has fallen; another one is made. */
  onFallen: () => void = () => {}
  /** Whether a take is read from it: then it is not changed, and listened to by nobody else. */
  isTaken: () => boolean = () => false
  private capture: AudioWorkletNode | undefined
  private now: OpenInput | undefined
  private opening = 0
  private pending: Promise<void> = Promise.resolve()
  private heldUntil = 0
  private ticked = 0
  private readonly samples = new Float32Array(2048)
  /** The sound stood still since the input was opened: its way in may have become longer. */
  private broken = false
  private listening: ((news: CaptureNews) => void) | undefined
  private devices = ''

  /** `connect` is given the port to which the worklet sends what it captures. */
  constructor(
    private readonly audio: Audio,
    private readonly transport: Transport,
    private readonly doors: InputDoors,
    private readonly connect: (port: MessagePort) => void,
  ) {
    this.own = new OwnVoice(audio)
    audio.clock.onBreak = () => {
      this.broken = true
    }
    // Another headphone is another way: what was measured with the old one does not hold.
    navigator.mediaDevices?.addEventListener?.('devicechange', () => void this.lookAgain())
  }

  /** The open input, if there is one. */
  get opened(): OpenInput | undefined {
    return this.now
  }

  /** Choose where sound comes from. */
  choose(choice: InputChoice): Promise<void> {
    if (this.isTaken()) return Promise.resolve()
    this.pending = this.open(choice)
    return this.pending
  }

  /** The open input to record from: what was chosen just now has been opened, and nothing waits in its queue. */
  async ready(): Promise<OpenInput | undefined> {
    await this.pending
    // A microphone's queue that grew while the sound stood still would make every later take late: it begins anew.
    if (this.broken && this.now?.latencySource === 'browser') await this.open(this.now.choice)
    return this.now
  }

  private async open(choice: InputChoice): Promise<void> {
    const opening = ++this.opening
    this.own.attach(undefined)
    this.now?.close()
    this.now = undefined
    this.loop.set(null)
    this.level.clipped = false
    this.chosen.set({ choice, channels: 1, said: '' })
    try {
      const capture = await this.worklet()
      const opened = await openInput(this.audio, choice, (said, ends) => this.lost(said, ends))
      if (opening !== this.opening) return opened.close()
      opened.node.connect(capture)
      this.now = opened
      this.own.attach(opened.node)
      this.broken = false
      this.chosen.set({ choice, channels: opened.channels, said: '' })
      void this.recall(opened)
    } catch (error) {
      if (opening !== this.opening) return
      const text = error instanceof InputProblem ? error.message : 'This input could not be opened. Choose another one.'
      this.chosen.set({ choice, channels: 1, said: text })
    }
  }

  private lost(said: string, ends: boolean): void {
    this.chosen.update({ said })
    this.onLost(said, ends)
  }

  private async lookAgain(): Promise<void> {
    const opened = this.now
    if (!opened || opened.latencySource === 'none') return
    if (JSON.stringify(await devicesOf(opened.choice)) === this.devices || this.now !== opened) return
    this.loop.set(null)
    await this.recall(opened)
  }

  /** What an earlier loop test found for this input, in this browser. */
  private async recall(opened: OpenInput): Promise<void> {
    if (opened.latencySource === 'none') return
    const devices = await devicesOf(opened.choice)
    this.devices = JSON.stringify(devices)
    const known = await this.doors.roundTrip(devices).catch(() => null)
    if (known && this.now === opened && !this.loop.value) this.loop.set({ ...known, fresh: false })
  }

  /** The loop test: play the test sound, hear it come back, let the server find how long that took. */
  async measureLoop(signal: AbortSignal): Promise<void> {
    const sound = await this.audio.context.decodeAudioData(await this.doors.loopSound())
    this.own.hold(true)
    const heard = await this.listenTo(sound, signal).finally(() => this.own.hold(false))
    const opened = this.now
    if (!opened) return
    const found = await this.doors.measure(await devicesOf(opened.choice), packSamples(heard))
    if (this.now === opened) this.loop.set({ ...found, fresh: true })
  }

  /** How loud a channel is now: its peak over the last 40 ms. */
  peakOf(channel: number): number {
    const meter = this.now?.meters[channel]
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

  /** Called once an animation frame: the held peak falls. */
  tick(): void {
    const now = performance.now()
    if (now > this.heldUntil) this.level.held *= HELD_FALLS ** ((now - this.ticked) / 1000)
    this.ticked = now
  }

  /** Samples from schedule to label: what is known best. */
  way(): Loop & { source: 'none' | 'browser' | 'measured' } {
    const { now, loop } = this
    if (!now || now.latencySource === 'none') return { latency: 0, spread: 0, fresh: true, source: 'none' }
    if (loop.value) return { ...loop.value, source: 'measured' }
    return { latency: this.audio.outputLatency + now.latency, spread: 0, fresh: false, source: 'browser' }
  }

  /** Tell the capture worklet what to keep. */
  tell(order: CaptureOrder): void {
    this.capture?.port.postMessage(order)
  }

  private async worklet(): Promise<AudioWorkletNode> {
    if (this.capture) return this.capture
    await this.audio.context.audioWorklet.addModule(captureUrl)
    // What waits in the browser must not be cleared away when its disk gets full.
    void navigator.storage?.persist?.().catch(() => false)
    const capture = new AudioWorkletNode(this.audio.context, 'capture', { numberOfOutputs: 0, channelCount: 1 })
    const { port1, port2 } = new MessageChannel()
    capture.port.postMessage({ kind: 'sink', port: port1 } satisfies CaptureOrder, [port1])
    this.connect(port2)
    capture.port.onmessage = ({ data }: MessageEvent<CaptureNews>) => this.listen(data)
    capture.addEventListener('processorerror', () => this.fallen())
    this.capture = capture
    return capture
  }

  private fallen(): void {
    this.onFallen()
    this.capture = undefined
    if (this.now) this.pending = this.open(this.now.choice)
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
        this.heldUntil = performance.now() + HELD_MS
      }
    }
    this.onNews(news)
  }

  /**
   * Play a sound and record what the microphone hears from the same frame on: the loop test. The sound is not a take.
   *
   * `signal` calls it off.
   */
  async listenTo(sound: AudioBuffer, signal: AbortSignal): Promise<Float32Array> {
    if (this.isTaken()) throw new InputProblem('A take is being recorded. Stop it, then measure.')
    await this.pending
    if (!this.now) throw new InputProblem('No microphone is chosen. Choose one, then measure.')
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
        this.tell({ kind: 'arm', id, from, here: true })
        this.tell({ kind: 'end', at: from + sound.length })
      })
    } finally {
      this.listening = undefined
      this.tell({ kind: 'drop' })
      source.stop()
      source.disconnect()
    }
    return heard
  }
}
