/** Positions are integer samples of the programme at 48 kHz, as everywhere in Fendo. */
export const SAMPLE_RATE = 48_000

/** A half-open stretch of samples. */
export type Span = readonly [start: number, end: number]

/** What of a stretch lies in none of others, in order. */
export function without(span: Span, others: readonly Span[]): Span[] {
  const left: Span[] = []
  let at = span[0]
  for (const [start, end] of [...others].sort((a, b) => a[0] - b[0])) {
    if (end <= at || start >= span[1]) continue
    if (start > at) left.push([at, start])
    at = end
  }
  if (at < span[1]) left.push([at, span[1]])
  return left
}

/** Frames a second as an exact fraction, and how timecode counts. */
export type Rate = { above: number; below: number; drop: boolean }

/** Number of the frame shown at a sample. Whole-number arithmetic: products stay far below 2**53. */
export function frameAt(sample: number, rate: Rate): number {
  return Math.floor((sample * rate.above) / (SAMPLE_RATE * rate.below))
}

/** First sample of a frame. */
export function firstSample(frame: number, rate: Rate): number {
  return Math.ceil((frame * SAMPLE_RATE * rate.below) / rate.above)
}

/** Index of the first of ordered things that ends after a sample, found by halving; their number when none does. */
export function firstEndingAfter<T>(things: readonly T[], sample: number, end: (thing: T) => number): number {
  let low = 0
  let high = things.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (end(things[middle]!) <= sample) low = middle + 1
    else high = middle
  }
  return low
}

/** Frame count since midnight as timecode (SMPTE ST 12-1); the core's own is the reference, a test compares both. */
export function timecode(frame: number, rate: Rate): string {
  const nominal = Math.round(rate.above / rate.below)
  const drop = rate.drop ? Math.floor(nominal / 15) : 0
  const minute = nominal * 60 - drop
  const tenMinutes = minute * 10 + drop
  const day = tenMinutes * 144
  let count = ((frame % day) + day) % day
  if (drop) {
    const rest = count % tenMinutes
    count += drop * 9 * Math.floor(count / tenMinutes) + (rest >= drop ? drop * Math.floor((rest - drop) / minute) : 0)
  }
  const two = (value: number) => String(value).padStart(2, '0')
  const seconds = Math.floor(count / nominal)
  return `${two(Math.floor(seconds / 3600) % 24)}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}${drop ? ';' : ':'}${two(count % nominal)}`
}

/** Samples as seconds for people, `3.4`. */
export function secondsText(samples: number, digits = 1): string {
  return (samples / SAMPLE_RATE).toFixed(digits)
}
