import type { Audio } from './audio'
import { Howl } from './howl'

const LOOK_MS = 30
const WINDOW = 2048

/**
 * The reader's own voice in the headphones. It goes past everything else to the output, for every millisecond is heard; what
 * is recorded branches off before it. A howl cuts it.
 */
export class OwnVoice {
  /** It howled, and was cut. */
  onHowl: () => void = () => {}
  private readonly gain: GainNode
  private readonly ear: AnalyserNode
  private readonly spectrum = new Float32Array(WINDOW / 2)
  private readonly samples = new Float32Array(WINDOW)
  private node: AudioNode | undefined
  private level: number | null = null
  private held = false
  private howl = new Howl()
  private timer = 0

  constructor(private readonly audio: Audio) {
    this.gain = new GainNode(audio.context, { gain: 0 })
    this.ear = new AnalyserNode(audio.context, { fftSize: WINDOW, smoothingTimeConstant: 0, minDecibels: -100 })
  }

  /** Another microphone, or none. */
  attach(node: AudioNode | undefined): void {
    this.part()
    this.node = node
    this.join()
  }

  /** How loud, in dB against what the microphone hears; null: not at all. */
  set(level: number | null): void {
    if (level === this.level) return
    this.level = level
    this.part()
    this.join()
  }

  /** Nothing of it meanwhile: something is measured. */
  hold(on: boolean): void {
    this.held = on
    this.part()
    this.join()
  }

  private join(): void {
    if (!this.node || this.level === null || this.held) return
    this.howl = new Howl()
    this.node.connect(this.ear)
    this.node.connect(this.gain).connect(this.audio.out)
    this.gain.gain.cancelScheduledValues(0)
    this.gain.gain.setTargetAtTime(10 ** (this.level / 20), this.audio.context.currentTime, 0.02)
    this.timer = window.setInterval(() => this.look(), LOOK_MS)
  }

  private part(): void {
    window.clearInterval(this.timer)
    if (!this.timer || !this.node) return
    this.timer = 0
    this.gain.gain.cancelScheduledValues(0)
    this.gain.gain.value = 0
    this.node.disconnect(this.gain)
    this.node.disconnect(this.ear)
    this.gain.disconnect()
  }

  private look(): void {
    this.ear.getFloatFrequencyData(this.spectrum)
    this.ear.getFloatTimeDomainData(this.samples)
    let power = 0
    for (const sample of this.samples) power += sample * sample
    const rms = 10 * Math.log10(Math.max(1e-12, power / WINDOW))
    if (!this.howl.look(this.spectrum, rms, performance.now())) return
    this.set(null)
    this.onHowl()
  }
}
