import { useEffect, useRef, useState } from 'react'
import { answered, client, type Line, type Take } from '../../api/client'
import { isUnknown } from '../../api/production'
import { useEngine, useWatched } from '../../app/engine'
import { sayProblem } from '../../app/messages'
import { LEAD } from '../../engine/recorder'
import { useAsking } from './asking'

const ASK_EVERY_MS = 600
/** So long the words of a take are waited for; then the run goes on by what is known. */
const PATIENCE_MS = 5_000

/** A line that is read in a run: `to begin` until its count-in was asked for, `asking` what comes after it. */
type Run = { line: string; readings: number; stage: 'to begin' | 'begun' | 'reading' | 'asking'; faults: string[] }

/**
 * A reading run: line after line without a key. The server hears when a line is read, and says whether the next one comes or
 * the same again.
 */
export function useRun(
  line: Line | undefined,
  next: Line | undefined,
  read: Take | undefined,
  begin: () => void,
  go: (to: Line) => void,
) {
  const { recorder } = useEngine()
  const state = useWatched(recorder.state)
  const [run, setRun] = useState<Run | null>(null)
  const quiet = ['ready', 'saved', 'failed'].includes(state.kind)
  const latest = useRef({ begin, go, next })
  useEffect(() => {
    latest.current = { begin, go, next }
  })
  const stage = run?.stage
  const here = run !== null && line?.id === run.line
  useEffect(() => {
    if (!here) return
    const to = (stage: Run['stage']) => setRun((now) => now && { ...now, stage })
    if (stage === 'to begin' && quiet) {
      to('begun')
      latest.current.begin()
    } else if (stage === 'begun' && !quiet) to('reading')
    else if (stage === 'begun' && state.kind === 'failed') setRun(null)
    else if (stage === 'reading' && quiet) {
      // Called off or failed: whoever reads has something to look at first.
      if (state.kind === 'saved' && !state.said) to('asking')
      else setRun(null)
    }
  }, [here, stage, quiet, state])

  const reading = here && stage === 'reading' && state.kind === 'recording'
  // When nothing is answered, the reader's own key ends the take.
  useAsking(reading, ASK_EVERY_MS, async (take_id, signal) => {
    const params = { path: { take_id }, query: { cue: LEAD } }
    const { over } = await answered(client.GET('/api/takes/{take_id}/so-far/', { params, signal }))
    if (over && recorder.takeId === take_id && recorder.state.value.kind === 'recording') void recorder.stop()
  })

  const asks = here && stage === 'asking'
  const known = read && !isUnknown(read)
  const id = read?.id
  const readings = run?.readings ?? 0
  useEffect(() => {
    if (!asks || !id) return
    let off = false
    const decide = async () => {
      try {
        const params = { path: { take_id: id }, query: { readings } }
        const found = await answered(client.GET('/api/takes/{take_id}/after/', { params }))
        if (off) return
        const { next, go } = latest.current
        if (found.next === 'again')
          setRun((now) => now && { ...now, readings: now.readings + 1, stage: 'to begin', faults: found.faults })
        else if (next) {
          setRun({ line: next.id, readings: 1, stage: 'to begin', faults: [] })
          go(next)
        } else setRun(null)
      } catch (error) {
        if (off) return
        sayProblem(error as Error)
        setRun(null)
      }
    }
    const timer = setTimeout(() => void decide(), known ? 0 : PATIENCE_MS)
    return () => {
      off = true
      clearTimeout(timer)
    }
  }, [asks, id, known, readings])
  return {
    run,
    start: () => line && setRun({ line: line.id, readings: 1, stage: 'to begin', faults: [] }),
    end: () => setRun(null),
  }
}
