import { median } from './clock'
import { firstSample, frameAt, type Rate, SAMPLE_RATE } from './time'

const USUAL_MS = 1000 / 60
/** Deltas that are looked at; a dropped tick among them changes nothing. */
const KEPT = 31
const MOST_PHASES = 8

/**
 * The ticks of the screen, and how the picture's frames are laid on them.
 *
 * A frame can be drawn at a tick only, so it is seen up to half a tick early or late. When picture and screen have a small
 * common measure (30 frames on 60 ticks) each frame of a run is off by the same, and another run by something else. So a
 * run is begun such that its frames lie on the ticks as evenly as they can: the mean of what is off is then nothing.
 */
export class Raster {
  private last = 0
  private deltas: number[] = []

  /** A tick of the screen, in milliseconds of the page's clock, and whether it is the one right after the last that was told. */
  tick(now: number, follows = true): void {
    if (follows && this.last && now > this.last) this.deltas.push(now - this.last)
    if (this.deltas.length > KEPT) this.deltas.shift()
    this.last = now
  }

  /** Milliseconds between two ticks. */
  get between(): number {
    return this.deltas.length < 5 ? USUAL_MS : Math.min(40, median(this.deltas))
  }

  /**
   * The first frame of the audio context, not before `earliest`, at which a run from programme sample `from` lies evenly on
   * the ticks. `heard` gives the frame of the context that is heard at a moment.
   */
  align(from: number, earliest: number, rate: Rate, heard: (now: number) => number): number {
    if (!this.last) return earliest
    const tick = (this.between / 1000) * SAMPLE_RATE
    const phases = phasesOf((SAMPLE_RATE * rate.below) / rate.above / tick)
    // With an even number of phases one would lie midway between two ticks, where chance decides: half a phase beside it.
    const offset = phases % 2 ? 0 : tick / (2 * phases)
    const boundary = firstSample(frameAt(from, rate) + 1, rate)
    const wanted = heard(this.last) + offset - (boundary - from)
    return Math.round(wanted + Math.ceil((earliest - wanted) / tick) * tick)
  }
}

/** How many different places between two ticks the frames of a picture take, when each lasts so many ticks. */
export function phasesOf(ticks: number): number {
  for (let phases = 1; phases < MOST_PHASES; phases++) {
    const whole = ticks * phases
    if (Math.abs(whole - Math.round(whole)) < 0.01 * phases) return phases
  }
  return MOST_PHASES - 1
}
