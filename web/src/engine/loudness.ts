/** Loudness of what is played, by ITU-R BS.1770-4 and EBU Tech 3341, while it plays. */

/** Samples of a step: 100 ms at 48 kHz. */
export const STEP = 4800
const MOMENTARY = 4
const SHORT_TERM = 30
const ABSOLUTE = -70
/** The relative gate, 10 LU below the mean, as a share of its power. */
const RELATIVE = 0.1

/** The two filters of the K-weighting at 48 kHz, as BS.1770-4 gives them: b0, b1, b2, a1, a2. */
const SHELF = [1.53512485958697, -2.69169618940638, 1.19839281085285, -1.69065929318241, 0.73248077421585] as const
const HIGH = [1, -2, 1, -1.99004745483398, 0.99007225036621] as const

/** A second-order section, transposed direct form II. */
class Section {
  private one = 0
  private two = 0

  private readonly b0: number
  private readonly b1: number
  private readonly b2: number
  private readonly a1: number
  private readonly a2: number

  constructor(c: readonly [number, number, number, number, number]) {
    ;[this.b0, this.b1, this.b2, this.a1, this.a2] = c
  }

  next(x: number): number {
    const y = this.b0 * x + this.one
    this.one = this.b1 * x - this.a1 * y + this.two
    this.two = this.b2 * x - this.a2 * y
    return y
  }
}

/** Weighs channels and gives the power of each step of 100 ms, both channels together. */
export class Weighted {
  private readonly filters = [0, 1].map(() => [new Section(SHELF), new Section(HIGH)] as const)
  private sum = 0
  private count = 0

  process(channels: readonly Float32Array[], length: number, give: (power: number) => void): void {
    for (let n = 0; n < length; n++) {
      for (let side = 0; side < 2; side++) {
        const [shelf, high] = this.filters[side]!
        const y = high.next(shelf.next(channels[side]![n]!))
        this.sum += y * y
      }
      if (++this.count < STEP) continue
      give(this.sum / STEP)
      this.sum = 0
      this.count = 0
    }
  }
}

export type LoudnessNow = {
  momentary: number | null
  shortTerm: number | null
  integrated: number | null
  /** Seconds that were listened to. */
  seconds: number
}

function lufs(power: number): number {
  return -0.691 + 10 * Math.log10(Math.max(power, 1e-12))
}

function mean(values: readonly number[]): number {
  return values.reduce((sum, value) => sum + value, 0) / values.length
}

/** What a meter shows, from the powers of steps. */
export class LoudnessMeter {
  private last: number[] = []
  /** Power of each 400 ms that is above the absolute gate, one every 100 ms. */
  private kept: number[] = []
  private sum = 0
  private steps = 0

  /** The next 100 ms. */
  add(power: number): void {
    this.steps++
    this.last.push(power)
    if (this.last.length > SHORT_TERM) this.last.shift()
    if (this.steps < MOMENTARY) return
    const block = mean(this.last.slice(-MOMENTARY))
    if (lufs(block) <= ABSOLUTE) return
    this.kept.push(block)
    this.sum += block
  }

  get now(): LoudnessNow {
    const over = (steps: number) => (this.steps < steps ? null : audible(lufs(mean(this.last.slice(-steps)))))
    return {
      momentary: over(MOMENTARY),
      shortTerm: over(SHORT_TERM),
      integrated: this.integrated,
      seconds: this.steps / 10,
    }
  }

  private get integrated(): number | null {
    if (!this.kept.length) return null
    const gate = (this.sum / this.kept.length) * RELATIVE
    return lufs(mean(this.kept.filter((power) => power > gate)))
  }
}

function audible(value: number): number | null {
  return value > -100 ? value : null
}
