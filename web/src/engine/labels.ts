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
 * A repeated label that is made up by the next one is a glitch of the label, not of the sound. One that stays behind is a
 * block that was given twice. A label that runs ahead of the count is a gap: sound that was never given. What follows is
 * always counted by its label, so that nothing shifts it.
 */
export class FrameCounter {
  private next: number | undefined
  private behind = false

  advance(label: number): Counted {
    const expected = this.next ?? label
    let first = expected
    let missing = 0
    let repeated = 0
    if (label > expected) {
      missing = label - expected
      first = label
    } else if (label < expected && this.behind) {
      repeated = expected - label
      first = label
    }
    this.behind = label < expected && !repeated
    this.next = first + QUANTUM
    return { first, missing, repeated }
  }
}
