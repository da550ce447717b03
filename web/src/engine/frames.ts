/** Milliseconds that are waited before the next frame: none while something moves, about thirty frames a second for a level. */
const PACES = { moving: 0, level: 20, rest: 100 } as const
export type Pace = keyof typeof PACES
const AWAKE_MS = 600
/** What a hand does on the page: something may be about to move. */
const HANDS = ['pointerdown', 'pointermove', 'wheel', 'keydown', 'scroll', 'resize'] as const

/**
 * The animation frames, given on to all who draw.
 *
 * A browser that is asked for every frame works sixty times a second even where nothing changes, a seventh of a core on a
 * page that rests, and a fan beside a microphone. So it is asked as often as what moves needs it, and for each frame as soon
 * as something may be about to move.
 */
export class Frames {
  private readonly drawers = new Set<(position: number) => void>()
  private timer: ReturnType<typeof setTimeout> | undefined
  private awakeUntil = 0

  /** `pace` tells what moves by itself; `frame` gets each frame, and whether it came right after the one before. */
  constructor(
    private readonly pace: () => Pace,
    private readonly frame: (now: number, follows: boolean) => void,
  ) {
    for (const hand of HANDS) addEventListener(hand, () => this.wake(), { capture: true, passive: true })
    this.wake()
    requestAnimationFrame((now) => this.tick(now, false))
  }

  /** Draw in each frame from now on, with the heard position. */
  add(draw: (position: number) => void): void {
    this.drawers.add(draw)
    this.wake()
  }

  delete(draw: (position: number) => void): void {
    this.drawers.delete(draw)
  }

  draw(position: number): void {
    for (const draw of this.drawers) draw(position)
  }

  /** Something may move: every frame from now on, for a while. */
  wake(): void {
    this.awakeUntil = performance.now() + AWAKE_MS
    if (this.timer === undefined) return
    clearTimeout(this.timer)
    this.timer = undefined
    requestAnimationFrame((now) => this.tick(now, false))
  }

  private tick(now: number, follows: boolean): void {
    this.frame(now, follows)
    const wait = performance.now() < this.awakeUntil ? 0 : PACES[this.pace()]
    if (!wait) requestAnimationFrame((next) => this.tick(next, true))
    else
      this.timer = setTimeout(() => {
        this.timer = undefined
        requestAnimationFrame((next) => this.tick(next, false))
      }, wait)
  }
}
