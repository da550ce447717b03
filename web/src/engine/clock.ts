import { SAMPLE_RATE } from './time'

/** One reading of the context's output: what is heard now, against the page's clock. */
export type OutputReading = { contextTime: number; performanceTime: number }

const READINGS = 9
/** A step of the median by more than this between two runs of readings: the sound stood still. */
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
 * last nine offsets between context and page clock, slope 1. Each reading is also given to whoever logs it: where the
 * sound stood still is found in the log, by the core.
 */
export class HeardClock {
  private offsets: number[] = []
  private last = Number.NaN
  private settled: number | undefined
  private since = 0
  /** Called when the sound stood still, or jumped. What that means for a take is found in its log, by the core. */
  onBreak: (() => void) | undefined
  /** Called with each new reading: the frame heard, and microseconds of the page's clock. */
  onReading: ((frame: number, microseconds: number) => void) | undefined

  constructor(private readonly read: () => OutputReading) {}

  /** Take a reading; call it every frame while anything sounds. */
  tick(): void {
    const { contextTime, performanceTime } = this.read()
    if (!performanceTime || contextTime === this.last) return
    this.last = contextTime
    this.offsets.push(contextTime - performanceTime / 1000)
    if (this.offsets.length > READINGS) this.offsets.shift()
    if (++this.since >= READINGS) {
      const now = median(this.offsets)
      if (this.settled !== undefined && Math.abs(now - this.settled) > BREAK_SECONDS) this.onBreak?.()
      this.settled = now
      this.since = 0
    }
    this.onReading?.(Math.round(contextTime * SAMPLE_RATE), Math.round(performanceTime * 1000))
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
