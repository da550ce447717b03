import { LATENCY } from './ceiling'
import ceilingUrl from './ceiling.worklet?worker&url'
import { HeardClock } from './clock'
import loudnessUrl from './loudness.worklet?worker&url'
import { Observable } from './observable'
import { SAMPLE_RATE } from './time'

/** The one AudioContext: its frames are the clock of everything. */
export class Audio {
  readonly context = new AudioContext({ sampleRate: SAMPLE_RATE, latencyHint: 'interactive' })
  /** Everything that sounds goes through here. */
  readonly out = new GainNode(this.context)
  /** What is played comes together here, below the ceiling; it comes out `LATENCY` frames later. */
  readonly mixed = new GainNode(this.context)
  readonly clock = new HeardClock(() => {
    const { contextTime = 0, performanceTime = 0 } = this.context.getOutputTimestamp()
    return { contextTime, performanceTime }
  })
  /** Whether sound runs; it stops when the machine sleeps or the output goes away. */
  readonly state = new Observable<AudioContextState>(this.context.state)
  private begun = 0

  constructor() {
    this.out.connect(this.context.destination)
    void this.limit()
    this.context.onstatechange = () => {
      if (this.context.state === 'running' && !this.begun) this.begun = this.context.currentTime
      this.state.set(this.context.state)
    }
    // Browsers let sound begin after a gesture only; the meter should move from the first one on.
    for (const gesture of ['pointerdown', 'keydown']) {
      window.addEventListener(gesture, () => void this.context.resume(), { once: true, capture: true })
    }
    setInterval(() => this.context.state === 'running' && this.clock.tick(), 20)
  }

  /** Put the ceiling over what is played; until it is there, and if it can't be had, sound is as late without it. */
  private async limit(): Promise<void> {
    const late = new DelayNode(this.context, { delayTime: LATENCY / SAMPLE_RATE, maxDelayTime: 1 })
    this.mixed.connect(late).connect(this.out)
    try {
      await this.context.audioWorklet.addModule(ceilingUrl)
      const ceiling = new AudioWorkletNode(this.context, 'ceiling', { outputChannelCount: [2] })
      this.mixed.disconnect(late)
      this.mixed.connect(ceiling).connect(this.out)
      // A fallen worklet is silent: what is played goes on without its ceiling.
      ceiling.addEventListener('processorerror', () => {
        this.mixed.disconnect(ceiling)
        this.mixed.connect(late)
      })
    } catch {
      // Without worklets nothing can be recorded either, and that is said in the Booth.
    }
  }

  private readonly powers = new Set<(power: number) => void>()
  private meter: Promise<AudioWorkletNode> | undefined

  /** Be told the weighted power of each 100 ms of all that sounds (`loudness.ts`); what comes back ends it. */
  hearLoudness(give: (power: number) => void): () => void {
    this.powers.add(give)
    this.meter ??= this.measure()
    void this.meter.then((node) => this.powers.size && this.out.connect(node)).catch(() => {})
    return () => {
      this.powers.delete(give)
      void this.meter?.then((node) => this.powers.size || this.out.disconnect(node)).catch(() => {})
    }
  }

  private async measure(): Promise<AudioWorkletNode> {
    await this.context.audioWorklet.addModule(loudnessUrl)
    const node = new AudioWorkletNode(this.context, 'loudness', { numberOfOutputs: 0 })
    node.port.onmessage = ({ data }: MessageEvent<number>) => {
      for (const give of this.powers) give(data)
    }
    return node
  }

  /** Sound may begin only after a gesture; every play and record comes from one. */
  async wake(): Promise<void> {
    if (this.context.state !== 'running') await this.context.resume()
    for (let tries = 0; tries < 50 && !this.clock.ready; tries++) {
      this.clock.tick()
      if (!this.clock.ready) await new Promise((done) => setTimeout(done, 10))
    }
  }

  /** A context's labels may jump once in its first half second: nothing is recorded before it is a second old. */
  async warm(): Promise<void> {
    await this.wake()
    const young = this.begun + 1 - this.context.currentTime
    if (young > 0) await new Promise((done) => setTimeout(done, young * 1000))
  }

  /** Frame at which something scheduled now can still begin on time. */
  soon(seconds = 0.06): number {
    return Math.ceil((this.context.currentTime + seconds) * SAMPLE_RATE)
  }

  /** Samples from schedule to ear, by the browser's own figures. */
  get outputLatency(): number {
    return Math.round((this.context.baseLatency + this.context.outputLatency) * SAMPLE_RATE)
  }
}
