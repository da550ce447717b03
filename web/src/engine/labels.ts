/** Samples a render quantum has. */
export const QUANTUM = 128

/**
 * Counts the frames of a worklet against their labels (`currentFrame`).
 *
 * A repeated label that is made up by the next one is a glitch of the label, not of the sound. A label that runs ahead of
 * the count is a gap: sound that was never given. The count never shifts what follows: gaps are filled by the caller.
 */
export class FrameCounter {
  private next: number | undefined

  /** First frame of this quantum, and how many frames before it are missing. */
  advance(label: number): { first: number; missing: number } {
    const expected = this.next ?? label
    const missing = label > expected ? label - expected : 0
    const first = expected + missing
    this.next = first + QUANTUM
    return { first, missing }
  }
}
