import { SAMPLE_RATE, type Span } from './time'

/** In how many samples beds give way and come back, and gaps between two stretches of voice that are too short for that. */
export type Slopes = { fall: number; rise: number; hold: number }

export const SLOPES: Slopes = { fall: 0.3 * SAMPLE_RATE, rise: 0.8 * SAMPLE_RATE, hold: SAMPLE_RATE }

/** (programme sample, how far beds give way there: 0..1). Between two of them it changes by a straight line. */
export type DuckPoint = readonly [number, number]

/** How far beds give way over time, as the film does it: `ducking.cases.json` is run by both languages. */
export function duckPoints(voice: readonly Span[], slopes: Slopes): DuckPoint[] {
  const fall = Math.max(1, slopes.fall)
  const rise = Math.max(1, slopes.rise)
  const points: DuckPoint[] = []
  for (const [start, end] of joinSpans(voice, slopes.hold)) {
    const ended = points.at(-2)?.[0]
    if (ended !== undefined && ended + rise > start - fall) {
      // No time to come back: it turns where both slopes meet.
      points.pop()
      const turn = ended + Math.floor(((start - ended) * rise) / (fall + rise))
      points.push([turn, Math.max(1 - (turn - ended) / rise, 1 - (start - turn) / fall)])
    } else points.push([start - fall, 0])
    points.push([start, 1], [end, 1], [end + rise, 0])
  }
  return points
}

/** How far beds give way at a sample. */
export function duckedAt(points: readonly DuckPoint[], sample: number): number {
  const next = points.findIndex(([at]) => at >= sample)
  if (next < 0) return 0
  const [b, high] = points[next]!
  if (next === 0) return b === sample ? high : 0
  const [a, low] = points[next - 1]!
  return b === a ? high : low + ((sample - a) / (b - a)) * (high - low)
}

/** Spans that lie closer than `hold` samples, joined: between two sentences beds do not come up. */
export function joinSpans(spans: readonly Span[], hold = SAMPLE_RATE): Span[] {
  const joined: [number, number][] = []
  for (const [start, end] of [...spans].sort((a, b) => a[0] - b[0])) {
    const last = joined.at(-1)
    if (last && start - last[1] < hold) last[1] = Math.max(last[1], end)
    else joined.push([start, end])
  }
  return joined
}
