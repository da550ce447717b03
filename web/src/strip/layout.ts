import { SAMPLE_RATE, type Span } from '../engine/time'

/** What of the programme is in sight: its first sample, and samples in one point of width. */
export type View = { first: number; perPoint: number }

const CLOSEST = SAMPLE_RATE / 400
const EDGE = 0.12

export function xOf(sample: number, view: View): number {
  return (sample - view.first) / view.perPoint
}

export function sampleAt(x: number, view: View): number {
  return Math.round(view.first + x * view.perPoint)
}

/** Zoom by a factor around the point x; never past the whole programme or one sample a few points wide. */
export function zoomed(view: View, factor: number, x: number, width: number, length: number): View {
  const widest = Math.max(length * 1.02, 10 * SAMPLE_RATE) / Math.max(1, width)
  const perPoint = Math.min(widest, Math.max(CLOSEST, view.perPoint * factor))
  return kept({ first: view.first + x * (view.perPoint - perPoint), perPoint }, width, length)
}

/** The view moved back into the programme (a little before its beginning can be seen). */
export function kept(view: View, width: number, length: number): View {
  const before = 16 * view.perPoint
  const latest = Math.max(-before, length - width * view.perPoint + 4 * before)
  return { ...view, first: Math.min(latest, Math.max(-before, view.first)) }
}

/** The view turned on when the playhead leaves it; unchanged while it is inside. */
export function following(view: View, position: number, width: number, length: number, playing: boolean): View {
  const x = xOf(position, view)
  if (x >= 0 && x <= width * (playing ? 0.92 : 1)) return view
  return kept({ ...view, first: position - EDGE * width * view.perPoint }, width, length)
}

const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1800]

/** Whole seconds between two marks of the ruler, so that their texts do not touch. */
export function rulerStep(view: View): number {
  const seconds = (96 * view.perPoint) / SAMPLE_RATE
  return STEPS.find((step) => step >= seconds) ?? 3600
}

/** Index of the first of ordered spans that ends after a sample: where drawing begins, found by halving. */
export function firstInSight(spans: readonly Span[], sample: number): number {
  let low = 0
  let high = spans.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (spans[middle]![1] <= sample) low = middle + 1
    else high = middle
  }
  return low
}
