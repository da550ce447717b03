import { useEffect, useState } from 'react'
import { answered, client } from '../../api/client'
import { useEngine, useWatched } from '../../app/engine'
import { LEAD } from '../../engine/recorder'
import { useAsking } from './asking'

const ASK_EVERY_MS = 5000

/** Samples by which the reading that is recorded now is behind the original; null while that is not known. */
export function useBehind(hasOriginal: boolean): number | null {
  const { recorder } = useEngine()
  const going = useWatched(recorder.state).kind === 'recording'
  const [behind, setBehind] = useState<number | null>(null)
  useEffect(() => {
    if (!going) setBehind(null)
  }, [going])
  useAsking(going && hasOriginal, ASK_EVERY_MS, async (take_id, signal) => {
    const params = { path: { take_id }, query: { cue: LEAD } }
    const found = await answered(client.GET('/api/takes/{take_id}/behind/', { params, signal }))
    if (!signal.aborted) setBehind(found.behind)
  })
  return behind
}
