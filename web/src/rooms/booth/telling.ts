import { useEffect, useRef } from 'react'
import { answered, client } from '../../api/client'
import type { components } from '../../api/schema'

type Said = components['schemas']['BoothSaidRequest']

/** So often a Booth says that it is open; what changes is told at once. */
const EVERY_MS = 3_000

/** Tell a second screen what is read here: the line in sight and the state, and the word while anybody looks. */
export function useTelling(production: string, { line, state, take, word }: Said): void {
  const watched = useRef(false)
  const told = word !== null && watched.current ? word : null
  useEffect(() => {
    let off = false
    const tell = async () => {
      const said: Said = { line, state, take, word: told }
      const params = { path: { production_id: production } }
      // It is no loss when it can't be told: the next time is near.
      const answer = await answered(client.POST('/api/productions/{production_id}/screen/', { params, body: said })).catch(
        () => null,
      )
      if (answer && !off) watched.current = answer.watched
    }
    void tell()
    const timer = setInterval(() => void tell(), EVERY_MS)
    return () => {
      off = true
      clearInterval(timer)
    }
  }, [production, line, state, take, told])
}
