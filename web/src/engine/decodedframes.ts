/** Something to be drawn from a programme sample on; closed when the last one that holds it lets go. */
export type Shot = {
  at: number
  draw: (ctx: CanvasRenderingContext2D) => void
  keep: () => Shot
  close: () => void
}

export function shotOf(at: number, draw: Shot['draw'], end: () => void): Shot {
  let held = 1
  const shot: Shot = {
    at,
    draw,
    keep: () => {
      held++
      return shot
    },
    close: () => {
      if (--held === 0) end()
    },
  }
  return shot
}

/** Frames on each side that are decoded ahead. Few: some decoders lend out no more than a dozen. */
const REACH = 4

/**
 * Decoded frames around the one in sight, so that a step finds its frame ready: decoding a single one begins at the last
 * key frame each time.
 */
export class DecodedFrames {
  private readonly shots = new Map<number, Shot>()
  /** The frames that are being decoded now; none: from > to. */
  private span: readonly [from: number, to: number] = [0, -1]
  private run = 0

  get(frame: number): Shot | undefined {
    return this.shots.get(frame)
  }

  /** Whether a frame is on its way. */
  awaits(frame: number): boolean {
    return this.span[0] <= frame && frame <= this.span[1]
  }

  /**
   * Decode what is missing around a frame in sight, as soon as fewer than two are left on a side; what is far away is let go.
   *
   * `limits` are the first and last frame that `frames` can give; `frames` gives shots in order, from the one that shows
   * the first wanted frame on. `came` is called whenever a frame has arrived.
   */
  async gather(
    around: number,
    seen: Shot,
    limits: readonly [number, number],
    frames: (from: number) => AsyncGenerator<Shot>,
    frameOf: (shot: Shot) => number,
    came: () => void,
  ): Promise<void> {
    if (this.awaits(around)) return
    const within = (frame: number) => limits[0] <= frame && frame <= limits[1]
    const lacks = [1, 2].flatMap((by) => [around - by, around + by]).some((frame) => within(frame) && !this.get(frame))
    if (!lacks) return
    this.abandon()
    if (!this.shots.has(around)) this.shots.set(around, seen.keep())
    for (const [frame, shot] of this.shots) {
      if (Math.abs(frame - around) <= REACH) continue
      this.shots.delete(frame)
      shot.close()
    }
    const wanted = Array.from({ length: 2 * REACH + 1 }, (_, n) => around - REACH + n).filter(
      (frame) => within(frame) && !this.get(frame),
    )
    const { run } = this
    this.span = [wanted[0]!, wanted.at(-1)!]
    let last: Shot | undefined
    let next = wanted[0]!
    const fill = (until: number) => {
      for (; last && next < until; next++) if (!this.shots.has(next)) this.shots.set(next, last.keep())
    }
    try {
      for await (const shot of frames(next)) {
        if (run !== this.run) return shot.close()
        // One shot may stand for several frames: until the next one begins.
        fill(Math.min(frameOf(shot), this.span[1] + 1))
        last?.close()
        last = shot
        if (frameOf(shot) > this.span[1]) break
        fill(frameOf(shot) + 1)
        came()
        if (run !== this.run) return
      }
      if (run === this.run) fill(this.span[1] + 1)
    } catch {
      // Whoever needs one of these frames asks for it alone, and is told what is wrong then.
    } finally {
      last?.close()
      if (run === this.run) {
        this.span = [0, -1]
        came()
      }
    }
  }

  /** End what is being decoded; what has arrived stays. */
  abandon(): void {
    this.run++
    this.span = [0, -1]
  }

  /** Let everything go: the reel is another one, or rolls. */
  clear(): void {
    this.abandon()
    for (const shot of this.shots.values()) shot.close()
    this.shots.clear()
  }
}
