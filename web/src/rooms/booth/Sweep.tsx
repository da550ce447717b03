import { useEffect, useRef } from 'react'
import { useEngine } from '../../app/engine'
import { SAMPLE_RATE } from '../../engine/time'

/** The count-in, seen: a line that travels over the picture and reaches its edge on the slot's first frame. */
export function Sweep() {
  const engine = useEngine()
  const line = useRef<HTMLDivElement>(null)
  const count = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const draw = (position: number) => {
      if (!line.current || !count.current) return // leaving the room
      const { value } = engine.recorder.state
      const on = (value.kind === 'counting in' || value.kind === 'going on') && engine.transport.state.value.playing
      if (line.current.hidden === on) line.current.hidden = count.current.hidden = !on
      if (!on) return
      const share = Math.min(1, Math.max(0, (position - value.from) / (value.cue - value.from)))
      line.current.style.left = `${share * 100}%`
      const { beats, beat } = value.kind === 'counting in' ? value.count : { beats: 3, beat: SAMPLE_RATE }
      const left = Math.ceil((value.cue - position) / beat)
      const text = left > beats ? 'pre-roll' : left > 0 ? String(left) : 'waiting for the server'
      if (count.current.textContent !== text) count.current.textContent = text
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine])
  return (
    <>
      <div ref={line} className="sweep" hidden />
      <div ref={count} className="sweep-count" hidden />
    </>
  )
}
