import { useEffect, useRef, useState } from 'react'
import type { Line, Production, Take } from '../../api/client'
import { useEngine } from '../../app/engine'
import { asSpan, scoreOf } from '../../app/room'
import { useSelection } from '../../app/selection'
import { SAMPLE_RATE, type Span } from '../../engine/time'

const RUN_UP = Math.round(0.4 * SAMPLE_RATE)
/** Around words that are heard again and again. */
const AROUND = Math.round(0.12 * SAMPLE_RATE)

/** Where words of a take are said in the programme. */
export function spanOfWords(take: Take, first: number, last: number): Span | null {
  const spans = take.read?.words.flatMap(({ ordinal, span }) =>
    span && ordinal >= first && ordinal <= last ? [asSpan(span)!] : [],
  )
  if (!spans?.length) return null
  return [Math.min(...spans.map(([from]) => from)), Math.max(...spans.map(([, to]) => to))]
}

/**
 * Takes of a line heard against the picture, once or again and again.
 *
 * `part` is what of a take is heard again and again where that is not all of it.
 */
export function useHearing(production: Production, line: Line | undefined, current: Take | undefined) {
  const engine = useEngine()
  const { chooseTake } = useSelection()
  const [withFilm, setWithFilm] = useState(false)
  const [before, setBefore] = useState<string | null>(null)
  const [looping, setLooping] = useState(false)
  const latest = useRef({ looping, withFilm })
  useEffect(() => {
    latest.current = { looping, withFilm }
  })

  const hear = (take: Take | undefined, at?: number, part?: Span | null) => {
    if (!take || !line || engine.recorder.isBusy) return
    if (current && take.id !== current.id) setBefore(current.id)
    chooseTake(take.id)
    const { voice } = take
    if (!voice) return
    const [first, last] = asSpan(voice.span)!
    const from = part ? part[0] - AROUND : (at ?? Math.max(0, Math.min(first, line.slot?.[0] ?? first) - RUN_UP))
    const to = part ? part[1] + AROUND : Math.max(last, line.slot?.[1] ?? 0) + RUN_UP / 2
    const { score, ducks, ducking } = scoreOf(engine, production, [voice], latest.current.withFilm ? 'all' : 'none')
    void engine.transport.play(Math.max(0, from), {
      to,
      score,
      ducks,
      ducking,
      follow: false,
      takesOver: true,
      onEnd: () => (latest.current.looping ? hear(take, at, part) : engine.transport.seek(line.slot?.[0] ?? first)),
    })
  }
  return { hear, before, withFilm, setWithFilm, looping, setLooping }
}
