import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Line, type Patch, type Take } from '../../api/client'
import { learned, workIn } from '../../api/production'
import { sayProblem } from '../../app/Said'

/** Words of a take that are chosen to be put into another: ordinals, first and last. */
export type ChosenWords = { take: string; first: number; last: number }

export type FitWish = { voice: string; guide: string; most: number; stay: number[]; silence: boolean }

/** Comps made out of a line's readings. What was made is told, so that it can be chosen and heard. */
export function useMaking(production: string, line: Line | undefined, takes: Take[], onMade: (made: Take) => void) {
  const queries = useQueryClient()
  const [busy, setBusy] = useState(false)
  const make = async (ask: (line: string) => Promise<Patch>) => {
    if (!line || busy) return false
    setBusy(true)
    try {
      const since = learned(queries, production)
      const patch = await ask(line.id)
      workIn(queries, production, patch, since)
      const made = patch.takes?.find((one) => one.kind === 'comp' && !takes.some(({ id }) => id === one.id))
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
    setLength: (voice: string, wanted: number) =>
      make((id) => answered(client.POST('/api/lines/{line_id}/length/', { ...path(id), body: { voice, wanted } }))),
    fit: (wish: FitWish) => make((id) => answered(client.POST('/api/lines/{line_id}/fit/', { ...path(id), body: wish }))),
  }
}

/** The word that is said at a position; between two the next one, behind the last the last. */
export function wordAt(take: Take, position: number): number | undefined {
  const said = take.read?.words.filter(({ mark, span }) => span && mark === 'read') ?? []
  return (said.find(({ span }) => span![1]! > position) ?? said.at(-1))?.ordinal
}

/** The words between two ordinals as a text. */
export function wordsText(take: Take | undefined, { first, last }: Omit<ChosenWords, 'take'>): string {
  const said =
    take?.read?.words.filter(({ ordinal, mark }) => ordinal >= first && ordinal <= last && mark !== 'again') ?? []
  const text = said.map((word) => word.text).join(' ')
  return text.length > 60 ? `${text.slice(0, 28)} … ${text.slice(-28)}` : text
}
