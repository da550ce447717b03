import { SAMPLE_RATE } from './time'

/** Samples in which the gain goes down before a peak. */
const AHEAD = (SAMPLE_RATE * 5) / 1000
/** dB a sample by which it comes back. */
const RECOVERY = 40 / SAMPLE_RATE
/** dB under the ceiling that is aimed at: the gain moves between the points at which peaks are measured. */
const MARGIN = 0.2
/** Two of the four phases of the interpolating filter of ITU-R BS.1770-5, annex 2; the other two are these backwards. */
const HALF = [
  [
    0.001708984375, 0.010986328125, -0.0196533203125, 0.033203125, -0.0594482421875, 0.1373291015625, 0.97216796875,
    -0.102294921875, 0.047607421875, -0.026611328125, 0.014892578125, -0.00830078125,
  ],
  [
    -0.0291748046875, 0.029296875, -0.0517578125, 0.089111328125, -0.16650390625, 0.465087890625, 0.77978515625,
    -0.2003173828125, 0.1015625, -0.0582275390625, 0.0330810546875, -0.0189208984375,
  ],
]
const PHASES = [...HALF, ...HALF.map((taps) => [...taps].reverse()).reverse()]
const TAPS = 12

/** Samples by which the sound comes out later. */
export const LATENCY = AHEAD + TAPS

/**
 * A ceiling that no true peak passes: gain goes down before a peak and comes back after it; all else is untouched.
 *
 * The same as the core's `fendo_core.audio.ceiling`, sample by sample: `ceiling.cases.json` is run by both.
 */
export class Ceiling {
  private readonly limit: number
  private readonly sound = [new Float32Array(LATENCY), new Float32Array(LATENCY)]
  private readonly history = [new Float64Array(TAPS), new Float64Array(TAPS)]
  private readonly lower = new Float64Array(AHEAD + 1)
  private readonly recovered = new Float64Array(AHEAD)
  private at = 0
  private last = 0
  private sum = 0
  /** Samples since anything was wanted: while nothing is, and all has come back, sound passes as it is. */
  private idle = AHEAD * 4

  constructor(ceiling = -1) {
    this.limit = ceiling - MARGIN
  }

  /** The next samples of both channels in, as many out. */
  process(inputs: readonly Float32Array[], outputs: readonly Float32Array[], count: number): void {
    for (let i = 0; i < count; i++) {
      const peak = Math.max(this.peak(0, inputs[0]?.[i] ?? 0), this.peak(1, inputs[1]?.[i] ?? 0))
      const gain = this.gain(peak)
      const slot = this.at % LATENCY
      for (const channel of [0, 1]) {
        const delayed = this.sound[channel]!
        if (outputs[channel]) outputs[channel][i] = gain === 1 ? delayed[slot]! : delayed[slot]! * gain
        delayed[slot] = inputs[channel]?.[i] ?? 0
      }
      this.at++
    }
  }

  /** The true peak around the newest sample of a channel. */
  private peak(channel: number, sample: number): number {
    const history = this.history[channel]!
    history[this.at % TAPS] = sample
    let peak = Math.abs(history[(this.at - TAPS / 2 + TAPS * 2) % TAPS]!)
    for (const taps of PHASES) {
      let sum = 0
      for (let k = 0; k < TAPS; k++) sum += taps[k]! * history[(this.at - k + TAPS * 2) % TAPS]!
      peak = Math.max(peak, Math.abs(sum))
    }
    return peak
  }

  private gain(peak: number): number {
    const wanted = Math.min(0, this.limit - 20 * Math.log10(Math.max(peak, 1e-6)))
    this.lower[this.at % (AHEAD + 1)] = wanted
    this.idle = wanted < 0 || this.last < 0 ? 0 : this.idle + 1
    if (this.idle > AHEAD * 2) {
      this.sum = 0
      return 1
    }
    let nearest = 0
    for (const each of this.lower) if (each < nearest) nearest = each
    this.last = Math.min(0, nearest, this.last + RECOVERY)
    const slot = this.at % AHEAD
    this.sum += this.last - this.recovered[slot]!
    this.recovered[slot] = this.last
    const decibel = this.sum / AHEAD
    return Math.abs(decibel) < 1e-9 ? 1 : 10 ** (decibel / 20)
  }
}
