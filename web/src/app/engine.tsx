import { useQueryClient } from '@tanstack/react-query'
import { createContext, useCallback, useContext, useEffect, useState, useSyncExternalStore } from 'react'
import { answered, asBytes, client, csrfToken, type Take } from '../api/client'
import { addTake, refetchProduction } from '../api/production'
import { Engine } from '../engine/engine'
import type { Observable } from '../engine/observable'

const EngineContext = createContext<Engine | null>(null)

let engine: Engine | undefined

/** The one engine of this page, made when the first production is opened. */
function theEngine(): Engine {
  engine ??= new Engine({
    token: csrfToken,
    begin: (line_id, input, cue, scratch) =>
      answered(
        client.POST('/api/lines/{line_id}/takes/', { params: { path: { line_id } }, body: { input, cue, scratch } }),
      ),
    abandon: async (take_id) => {
      await answered(client.POST('/api/takes/{take_id}/abandon/', { params: { path: { take_id } } }))
    },
    roundTrip: async (query) => measured(await answered(client.GET('/api/round-trip/', { params: { query } }))),
    measure: async (query, sound) => {
      const found = measured(await answered(client.POST('/api/round-trip/', { params: { query }, ...asBytes(sound) })))
      if (!found) throw new Error('The server found no number in the test. Measure again.')
      return found
    },
    loopSound: async () => {
      const answer = await fetch('/api/round-trip/sound/', { credentials: 'same-origin' })
      if (!answer.ok) throw new Error('The test sound could not be loaded. Try again.')
      return answer.arrayBuffer()
    },
  })
  return engine
}

function measured(found: { latency: number | null; spread: number | null }) {
  return found.latency === null || found.spread === null ? null : { latency: found.latency, spread: found.spread }
}

/** Gives the engine to a production's rooms, and works saved takes into what they show. */
export function EngineProvider({ production, children }: { production: string; children: React.ReactNode }) {
  const [made] = useState(theEngine)
  const queries = useQueryClient()
  useEffect(() => {
    made.outbox.authorise()
    made.recorder.onSaved = (take) => {
      addTake(queries, production, take as Take)
      void refetchProduction(queries, production)
    }
  }, [made, queries, production])
  return <EngineContext value={made}>{children}</EngineContext>
}

export function useEngine(): Engine {
  const found = useContext(EngineContext)
  if (!found) throw new Error('there is no engine outside a production')
  return found
}

/** A watched value of the engine. */
export function useWatched<T>(observable: Observable<T>): T {
  return useSyncExternalStore(observable.watch, observable.get)
}

/**
 * What each animation frame tells; drawn again only when it is another value.
 *
 * Not by setting state: React keeps every value that is set, even the same one again, until it draws the next time, and a
 * recording of two hours has half a million frames.
 */
export function useEachFrame<T extends string | number | boolean>(look: () => T): T {
  const engine = useEngine()
  const watch = useCallback(
    (changed: () => void) => {
      const frame = () => changed()
      engine.onFrame.add(frame)
      return () => void engine.onFrame.delete(frame)
    },
    [engine],
  )
  return useSyncExternalStore(watch, look)
}
