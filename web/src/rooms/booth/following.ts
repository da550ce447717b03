import { useEffect, useState } from 'react'
import { answered, client } from '../../api/client'
import type { components } from '../../api/schema'
import { useEngine, useWatched } from '../../app/engine'
import { LEAD } from '../../engine/recorder'
import { useAsking } from './asking'

export type Followed = components['schemas']['Followed']

const ASK_EVERY_MS = 200

function isSame(known: Followed | null, found: Followed): boolean {
  return JSON.stringify(known) === JSON.stringify(found)
}

/** Where the reading that is recorded now is, as the server hears it; null while nobody reads, or it is not wanted. */
export function useFollowing(wanted: boolean): Followed | null {
  const { recorder } = useEngine()
  const state = useWatched(recorder.state)
  const [followed, setFollowed] = useState<Followed | null>(null)
  const going = state.kind === 'recording' || state.kind === 'paused'
  const listening = wanted && state.kind === 'recording'
  useEffect(() => {
    if (!going || !wanted) setFollowed(null)
  }, [going, wanted])
  useAsking(listening, ASK_EVERY_MS, async (take_id, signal) => {
    const params = { path: { take_id }, query: { cue: LEAD } }
    const found = await answered(client.GET('/api/takes/{take_id}/followed/', { params, signal }))
    // Nothing is drawn anew for what is known: asked five times a second, it changes with every second word.
    if (!signal.aborted) setFollowed((known) => (isSame(known, found) ? known : found))
  })
  return followed
}
