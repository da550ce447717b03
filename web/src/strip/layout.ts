import { firstEndingAfter, SAMPLE_RATE, type Span } from '../engine/time'

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

/** Index of the first of ordered spans that ends after a sample: where drawing begins. */
export function firstInSight(spans: readonly (readonly number[])[], sample: number): number {
  return firstEndingAfter(spans, sample, (span) => span[1]!)
}

/** A slot taken by one of its ends, or as a whole. */
export type Hold = 'start' | 'end' | 'whole'

const REACH = 6
const SNAP = 9

/** Which slot, and what of it, lies at the point x. Ends go before wholes, the chosen slot before others. */
export function holdAt(
  x: number,
  view: View,
  slots: readonly { id: string; span: Span }[],
  chosen: string | null,
): { id: string; hold: Hold } | null {
  let best: { id: string; hold: Hold } | null = null
  let nearest = REACH + 1
  for (const { id, span } of slots) {
    for (const [hold, sample] of [
      ['start', span[0]],
      ['end', span[1]],
    ] as const) {
      const off = Math.abs(xOf(sample, view) - x) + (id === chosen ? 0 : 0.5)
      if (off < nearest) {
        nearest = off
        best = { id, hold }
      }
    }
  }
  if (best) return best
  const own = slots.find(({ id }) => id === chosen)
  return own && xOf(own.span[0], view) < x && x < xOf(own.span[1], view) ? { id: own.id, hold: 'whole' } : null
}

/** The edge that draws a sample to it: the nearest within reach. */
export function nearestEdge(sample: number, edges: readonly number[], view: View): number | undefined {
  let found: number | undefined
  let least = SNAP * view.perPoint
  for (const edge of edges) {
    if (Math.abs(edge - sample) >= least) continue
    least = Math.abs(edge - sample)
    found = edge
  }
  return found
}

/** The slot after it was moved by some samples; what is held goes to the nearest edge within reach. */
export function movedSlot(
  span: Span,
  hold: Hold,
  by: number,
  view: View,
  edges: readonly number[],
  shortest: number,
): Span {
  const near = (sample: number) => (nearestEdge(sample, edges, view) ?? sample) - sample
  if (hold === 'start') {
    const start = span[0] + by + near(span[0] + by)
    return [Math.max(0, Math.min(start, span[1] - shortest)), span[1]]
  }
  if (hold === 'end') return [span[0], Math.max(span[1] + by + near(span[1] + by), span[0] + shortest)]
  const [first, last] = [near(span[0] + by), near(span[1] + by)]
  const snap = first && (!last || Math.abs(first) <= Math.abs(last)) ? first : last
  const start = Math.max(0, span[0] + by + snap)
  return [start, start + span[1] - span[0]]
}
