import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { sayProblem } from '../app/messages'
import { answered, client, type Line, type Patch, type Take } from './client'
import { learned, workIn } from './production'

/** Words of a take that are chosen to be put into another: ordinals, first and last. */
export type ChosenWords = { take: string; first: number; last: number }

export type FitWish = { voice: string; guide: string; most: number; stay: number[]; silence: boolean }

/** The comp that an edit has made, if there is one; `takes` are those that were there. */
export function madeBy({ takes: now }: Patch, takes: readonly Take[]): Take | undefined {
  return now?.find((one) => one.kind === 'comp' && !takes.some(({ id }) => id === one.id))
}

/** Comps made out of a line's readings. What was made is told, so that it can be chosen and heard. */
export function useMaking(
  production: string,
  line: Line | undefined,
  takes: readonly Take[] = [],
  onMade: (made: Take) => void = () => {},
) {
  const queries = useQueryClient()
  const [busy, setBusy] = useState(false)
  const make = async (ask: (line: string) => Promise<Patch>) => {
    if (!line || busy) return false
    setBusy(true)
    try {
      const since = learned(queries, production)
      const patch = await ask(line.id)
      workIn(queries, production, patch, since)
      const made = madeBy(patch, takes)
      if (made) onMade(made)
      return true
    } catch (error) {
      sayProblem(error as Error)
      return false
    } finally {
      setBusy(false)
    }
  }
  const path = (id: string) => ({ params: { path: { line_id: id } } })
  return {
    busy,
    join: (later: string, onto: string) =>
      make((id) => answered(client.POST('/api/lines/{line_id}/join/', { ...path(id), body: { later, onto } }))),
    weave: ({ take, first, last }: ChosenWords, onto: string) =>
      make((id) =>
        answered(client.POST('/api/lines/{line_id}/weave/', { ...path(id), body: { onto, source: take, first, last } })),
      ),
    setLength: (voice: string, wanted: number, most?: number) =>
      make((id) => answered(client.POST('/api/lines/{line_id}/length/', { ...path(id), body: { voice, wanted, most } }))),
    fit: (wish: FitWish) => make((id) => answered(client.POST('/api/lines/{line_id}/fit/', { ...path(id), body: wish }))),
  }
}
