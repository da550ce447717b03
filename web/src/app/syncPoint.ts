import type { Production } from '../api/client'
import { useEdits } from '../api/production'
import { firstSample, frameAt } from '../engine/time'
import { useEngine } from './engine'
import { sayProblem } from './messages'
import { rateOf } from './room'

/** Sets a sync point in the picture that is shown, or takes away the one that is there. */
export function useSyncPoint(production: Production): () => void {
  const engine = useEngine()
  const { edit } = useEdits(production.id)
  return () => {
    const rate = rateOf(production)
    const at = firstSample(frameAt(engine.transport.position(), rate), rate)
    const there = production.sync_points.some((point) => point.at === at)
    edit.mutate({ kind: there ? 'drop_sync_point' : 'set_sync_point', at }, { onError: sayProblem })
  }
}
