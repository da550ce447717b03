import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query'
import { answered, type Clip, client, type Edit, type Production } from '../../api/client'
import { inTurn, knownProduction, useEdits } from '../../api/production'
import { useEngine } from '../../app/engine'
import { sayProblem } from '../../app/messages'
import { useSelection } from '../../app/selection'

/** Builds an edit from the reel as it is then, and from where the position was when it was asked for. */
type Build = (at: number) => Edit | undefined

/** The chosen clip of the reel, or the one that is seen now, and what can be done with it. */
export function useReel(production: Production) {
  const engine = useEngine()
  const queries = useQueryClient()
  const { edit } = useEdits(production.id)
  // One by one: the rows of a long reel are not drawn again for what they do not show.
  const chosen = useSelection((now) => now.clip)
  const chooseClip = useSelection((now) => now.chooseClip)
  const closes = useSelection((now) => now.closes)
  const follows = useSelection((now) => now.follows)
  const setReel = useSelection((now) => now.setReel)
  const at = (from: Production) => {
    const { clips, length } = from.picture
    const index = Math.max(
      0,
      clips.findIndex((clip) => clip.id === chosen),
    )
    return { clips, length, index, clip: clips[index] as Clip | undefined }
  }
  const now = () => at(knownProduction(queries, production.id) ?? production)
  const { clips, index, clip } = at(production)
  const trim = (edge: 'start' | 'end', place: number): Edit | undefined => {
    const { clip: own } = now()
    return own && { kind: 'trim_clip', clip: own.id, edge, at: place, close: closes, follow: follows }
  }
  const drop = (close: boolean): Edit | undefined => {
    const { clip: own } = now()
    return own && { kind: 'drop_clip', clip: own.id, close, follow: follows }
  }
  const moved = (by: number): Edit | undefined => {
    const { clips: order, index: place, clip: own } = now()
    if (!own || !order[place + by]) return undefined
    const before = order[by < 0 ? place + by : place + by + 1]?.id ?? null
    return { kind: 'move_clip', clip: own.id, before, follow: follows }
  }
  const edits = {
    split: (place) => ({ kind: 'split_clip', at: place }),
    start: (place) => trim('start', place),
    end: (place) => trim('end', place),
    close: () => drop(true),
    leave: () => drop(false),
    earlier: () => moved(-1),
    later: () => moved(1),
    card: (place) => ({
      kind: 'add_clips',
      clips: [{}],
      at: Math.min(place, now().length),
      follow: follows,
    }),
  } satisfies Record<string, Build>
  const make = (build: Build) => {
    setReel({ asked: null })
    const place = engine.transport.position()
    inTurn(() => {
      const what = build(place)
      return what && edit.mutateAsync(what).catch(sayProblem)
    })
  }
  const go = (to: Clip | undefined) => {
    if (!to) return
    chooseClip(to.id)
    engine.transport.seek(to.span[0]!)
  }
  return {
    clip,
    index,
    go,
    step: (by: number) => go(clips[index + by]),
    edits,
    make,
    /** Tell what an edit would mean, before it is made; null for none. */
    ask: (build: Build | null) => setReel({ asked: build?.(engine.transport.position()) ?? null }),
    edit: (what: Edit) => make(() => what),
  }
}

/** In words, what the edit that is about to be made does to words and takes. */
export function useConsequence(production: Production): string {
  const asked = useSelection((now) => now.asked)
  const { data, error } = useQuery({
    queryKey: ['consequence', production.id, production.revision, asked],
    enabled: asked !== null,
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) => {
      // The pointer may be on its way to somewhere else.
      await new Promise((done) => setTimeout(done, 120))
      const body = { ...asked!, revision: production.revision } as never
      const path = { production_id: production.id }
      return answered(client.POST('/api/productions/{production_id}/reel-preview/', { params: { path }, body, signal }))
    },
  })
  if (!asked) return ''
  return error?.message ?? data?.text ?? ''
}
