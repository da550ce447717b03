import { Menu } from '@mantine/core'
import { useEffect } from 'react'
import { useEngine, useWatched } from '../../app/engine'
import { sayNote } from '../../app/messages'
import { SAMPLE_RATE } from '../../engine/time'
import { usePageSettings } from '../../page/settings'

const LEVELS = [
  { level: null, said: 'not heard' },
  { level: -12, said: 'quiet' },
  { level: 0, said: 'as it is' },
  { level: 9, said: 'loud' },
] as const

/** With headphones the reader hears the own voice as loud as was chosen, while the Booth is open. */
export function useOwnVoice(headphones: boolean): void {
  const { own } = useEngine().input
  const { ownVoice, set } = usePageSettings()
  useEffect(() => {
    own.set(headphones ? ownVoice : null)
    return () => own.set(null)
  }, [own, headphones, ownVoice])
  useEffect(() => {
    own.onHowl = () => {
      set({ ownVoice: null })
      sayNote(
        'The headphones howled into the microphone: your own voice is off in them. Turn them down before you choose it again.',
      )
    }
    return () => {
      own.onHowl = () => {}
    }
  }, [own, set])
}

/** The reader's own voice among what is heard in the headphones, and how late it comes. */
export function OwnVoiceItems() {
  const { audio, input } = useEngine()
  const loop = useWatched(input.loop)
  const { ownVoice, set } = usePageSettings()
  // The way that the loop test measures is the way that the own voice goes.
  const late = loop
    ? `${Math.round((loop.latency / SAMPLE_RATE) * 1000)} ms late`
    : `later than ${Math.round((audio.outputLatency / SAMPLE_RATE) * 1000)} ms`
  return (
    <>
      <Menu.Divider />
      <Menu.Label>Your own voice, {late}</Menu.Label>
      {LEVELS.map(({ level, said }) => (
        <Menu.Item key={said} onClick={() => set({ ownVoice: level })} fw={level === ownVoice ? 700 : 400}>
          {said}
        </Menu.Item>
      ))}
    </>
  )
}
