/** Columns kept; beyond that neighbours are joined and each stands for twice as long. */
const MOST = 4096

/** The waveform of what is being recorded, in columns; a long take costs no more than a short one. */
export class LiveWave {
  readonly peaks = new Float32Array(MOST)
  length = 0
  /** Samples in a column. */
  per: number
  private waiting = 0
  private peak = 0

  constructor(private readonly samples: number) {
    this.per = samples
  }

  clear(): void {
    this.length = 0
    this.per = this.samples
    this.waiting = 0
    this.peak = 0
  }

  /** The peak of the next stretch of the first column's length. */
  push(peak: number): void {
    this.peak = Math.max(this.peak, peak)
    this.waiting += this.samples
    if (this.waiting < this.per) return
    if (this.length === MOST) {
      for (let i = 0; i < MOST; i += 2) this.peaks[i / 2] = Math.max(this.peaks[i]!, this.peaks[i + 1]!)
      this.length = MOST / 2
      this.per *= 2
      return // what waits is half a column now
    }
    this.peaks[this.length++] = this.peak
    this.waiting = 0
    this.peak = 0
  }

  /** The highest peak of the columns from..to. */
  top(from: number, to: number): number {
    let top = 0
    for (let i = Math.max(0, from); i < Math.min(to, this.length); i++) top = Math.max(top, this.peaks[i]!)
    return top
  }
}
