import { firstEndingAfter, firstSample, frameAt, type Rate, SAMPLE_RATE, type Span } from './time'

/** A stretch of the programme that is drawn from one place. `first` is the sample of the file at the start of the span. */
export type Part = {
  span: Span
  first: number
  show:
    | { kind: 'film'; url: string }
    | { kind: 'page'; url: string }
    | { kind: 'card'; words: string; colour: string }
    /** Still being made playable, or not possible. */
    | { kind: 'nothing' }
}

/** Grounds of cards by their names, as the server draws them. */
export const GROUNDS = { slate: '#3b4245', black: '#000000', sea: '#1d4e5f', sand: '#e6dcc6' } as const

/** What the engine needs to know of a clip and of what was brought in. */
export type ReelClip = {
  kind: 'film' | 'still' | 'slides' | 'card'
  source: string | null
  page: number
  span: number[]
  first: number
  name: string
  colour: string
}
export type ReelSource = {
  id: string
  state: string
  fps: number[]
  length: number
  segments: number
  segment_frames: number
  has_proxy: boolean
  plays_at_once: boolean
}

/** The reel as parts, in order: films by the files that hold their proxies. */
export function partsOf(clips: readonly ReelClip[], sources: readonly ReelSource[]): Part[] {
  const byId = new Map(sources.map((source) => [source.id, source]))
  return clips.flatMap((clip): Part[] => {
    const span: Span = [clip.span[0]!, clip.span[1]!]
    const source = clip.source ? byId.get(clip.source) : undefined
    if (!source) return [{ span, first: 0, show: { kind: 'card', words: clip.name, colour: clip.colour } }]
    if (clip.kind !== 'film') {
      const drawn = source.state === 'ready'
      const url = `/api/sources/${source.id}/page/${clip.page}/`
      return [{ span, first: 0, show: drawn ? { kind: 'page', url } : { kind: 'nothing' } }]
    }
    const base = `/api/sources/${source.id}/picture/`
    const whole = source.plays_at_once || (source.has_proxy && !source.segment_frames)
    if (!source.has_proxy && whole) return [{ span, first: clip.first, show: { kind: 'film', url: base } }]
    if (!source.segment_frames) {
      const show: Part['show'] = source.segments ? { kind: 'film', url: `${base}0/` } : { kind: 'nothing' }
      return [{ span, first: clip.first, show }]
    }
    return segmentsOf(span, clip.first, source, base)
  })
}

function segmentsOf(span: Span, first: number, source: ReelSource, base: string): Part[] {
  const rate: Rate = { above: source.fps[0]!, below: source.fps[1]!, drop: false }
  const begins = (segment: number) => firstSample(segment * source.segment_frames, rate)
  const last = first + span[1] - span[0]
  const found: Part[] = []
  for (let n = Math.floor(frameAt(first, rate) / source.segment_frames); begins(n) < last; n++) {
    const from = Math.max(first, begins(n))
    const to = Math.min(last, begins(n + 1))
    if (to <= from) continue
    const show: Part['show'] = n < source.segments ? { kind: 'film', url: `${base}${n}/` } : { kind: 'nothing' }
    found.push({ span: [span[0] + from - first, span[0] + to - first], first: from - begins(n), show })
  }
  return found
}

/** Index of the part that shows a position; the first before the reel, the last behind it. */
export function partAt(parts: readonly Part[], position: number): number {
  return Math.max(
    0,
    Math.min(
      firstEndingAfter(parts, position, ({ span }) => span[1]),
      parts.length - 1,
    ),
  )
}

/** Width and height of what is drawn: the first film's, at most 960 by 540. */
export function sizeOf(sources: readonly { kind: string; width: number; height: number }[]): [number, number] {
  const film = sources.find((source) => source.kind === 'film' && source.width && source.height)
  const [width, height] = film ? [film.width, film.height] : [960, 540]
  const share = Math.min(1, 960 / width, 540 / height)
  return [Math.max(2, Math.round(width * share)), Math.max(2, Math.round(height * share))]
}

/** Tolerance in samples: containers round time stamps to a millisecond. */
export const STAMP_TOLERANCE = Math.round(0.0006 * SAMPLE_RATE)
