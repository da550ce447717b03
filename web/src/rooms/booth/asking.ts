import { useEffect, useRef } from 'react'
import { useEngine } from '../../app/engine'

/**
 * Ask the server again and again about the take that is being recorded, while `going`; one question at a time. What can't be
 * asked is asked again: whatever is read is safe either way.
 */
export function useAsking(going: boolean, everyMs: number, ask: (take: string, off: AbortSignal) => Promise<void>): void {
  const { recorder } = useEngine()
  const latest = useRef(ask)
  useEffect(() => {
    latest.current = ask
  })
  useEffect(() => {
    if (!going) return
    const off = new AbortController()
    let asking = false
    const once = async () => {
      const take = recorder.takeId
      if (asking || !take) return
      asking = true
      await latest.current(take, off.signal).catch(() => {})
      asking = false
    }
    const timer = setInterval(() => void once(), everyMs)
    return () => {
      off.abort()
      clearInterval(timer)
    }
  }, [going, everyMs, recorder])
}
