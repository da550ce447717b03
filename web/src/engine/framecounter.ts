/** Samples a render quantum has. */
export const QUANTUM = 128

export type Counted = {
  /** First frame of this quantum. */
  first: number
  /** Frames before it that were never given. */
  missing: number
  /** Frames by which this quantum repeats what was given already. */
  repeated: number
}

/**
 * Counts the frames of a worklet against their labels (`currentFrame`).
 *
 * The browser leaves a label as it was while something else holds its graph of sounds, for as many quanta as that lasts:
 * a label that stands still tells nothing, and the sound is counted on. One that moves is the truth. Ahead of the count
 * it tells of a gap, sound that was never given; behind the count, of sound that was given twice. What follows lies by
 * its label, so that nothing shifts it.
 */
export class FrameCounter {
  private next: number | undefined
  private label = Number.NaN

  advance(label: number): Counted {
    const expected = this.next ?? label
    const first = label === this.label ? expected : label
    this.label = label
    this.next = first + QUANTUM
    return { first, missing: Math.max(0, first - expected), repeated: Math.max(0, expected - first) }
  }
}
