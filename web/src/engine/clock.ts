import { SAMPLE_RATE } from './time'

/** One reading of the context's output: what is heard now, against the page's clock. */
export type OutputReading = { contextTime: number; performanceTime: number }

/** A jump of more than this between two medians is a clock break: sound really stopped for a while. */
const BREAK_SECONDS = 0.002

export function median(values: readonly number[]): number {
  const sorted = [...values].sort((a, b) => a - b)
  const middle = sorted.length >> 1
  return sorted.length % 2 ? sorted[middle]! : (sorted[middle - 1]! + sorted[middle]!) / 2
}

/**
 * What is heard now, in frames of the audio context.
 *
 * `currentTime` is a staircase that runs ahead of the ear, so the output's own time stamps are used: the median of the
 * last nine offsets between context and page clock, slope 1.
 */
export class HeardClock {
  private offsets: number[] = []
  private last = Number.NaN
  /** Clock breaks since the context began: context seconds at which they were seen, and by how much. */
  readonly breaks: { at: number; by: number }[] = []

  constructor(private readonly read: () => OutputReading) {}

  /** Take a reading; call it every frame while anything sounds. */
  tick(): void {
    const { contextTime, performanceTime } = this.read()
    if (!performanceTime || contextTime === this.last) return
    this.last = contextTime
    const before = this.offsets.length === 9 ? median(this.offsets) : undefined
    this.offsets.push(contextTime - performanceTime / 1000)
    if (this.offsets.length > 9) this.offsets.shift()
    const after = median(this.offsets)
    if (before !== undefined && Math.abs(after - before) > BREAK_SECONDS) {
      this.breaks.push({ at: contextTime, by: after - before })
    }
  }

  /** Frame heard at a moment of the page's clock (milliseconds). */
  heardFrame(now: number = performance.now()): number {
    if (!this.offsets.length) return 0
    return Math.round((now / 1000 + median(this.offsets)) * SAMPLE_RATE)
  }

  get ready(): boolean {
    return this.offsets.length > 0
  }
}
