import { useEffect, useRef } from 'react'
import { useEngine } from '../app/engine'

type Props = {
  /** What of the programme is shown from one edge to the other. */
  from: number
  to: number
  /** Seen only while it plays. */
  playing?: boolean
}

/** Where the programme stands, over something that is drawn along time. */
export function Playhead({ from, to, playing = false }: Props) {
  const engine = useEngine()
  const head = useRef<HTMLSpanElement>(null)
  useEffect(() => {
    const draw = (position: number) => {
      if (!head.current) return // leaving the room
      const share = (position - from) / (to - from)
      const seen = to > from && share >= 0 && share <= 1 && (!playing || engine.transport.state.value.playing)
      head.current.hidden = !seen
      if (seen) head.current.style.left = `${share * 100}%`
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine, from, to, playing])
  return <span ref={head} className="take-head" hidden />
}
