import { Button, Modal } from '@mantine/core'
import { useEffect, useState } from 'react'
import { ACTIONS, type ActionName, keyName, keyText, useChangedKeys } from './keys'
import { listenToPedals, usePedals } from './pedals'

const ROOMS = [...new Set(Object.values(ACTIONS).map((action) => action.room))]

/** All keys on one sheet; each can be changed. */
export function KeysOverview({ opened, onClose }: { opened: boolean; onClose: () => void }) {
  const [waiting, setWaiting] = useState<ActionName | null>(null)
  const { changed, set } = useChangedKeys()
  const { heard, said } = usePedals()
  useEffect(() => {
    if (!waiting) return
    const press = (event: KeyboardEvent) => {
      if (['Shift', 'Control', 'Alt', 'Meta'].includes(event.key)) return
      event.preventDefault()
      event.stopPropagation()
      if (event.key !== 'Escape') set(waiting, keyName(event))
      setWaiting(null)
    }
    window.addEventListener('keydown', press, true)
    return () => window.removeEventListener('keydown', press, true)
  }, [waiting, set])
  return (
    <Modal opened={opened} onClose={onClose} title="Keys" size="xl" closeOnEscape={!waiting}>
      <p className="quiet">Press a key’s button to give it another one. Nothing fires while text is being typed.</p>
      <p className="quiet">
        {heard === null ? (
          <Button size="compact-sm" variant="default" onClick={() => void listenToPedals()}>
            Use a MIDI foot switch
          </Button>
        ) : heard.length ? (
          `A foot switch on ${heard.join(', ')} can be given to anything here, like a key.`
        ) : (
          'No MIDI device is connected. Plug the foot switch in; it is found by itself.'
        )}{' '}
        {said && <span role="alert">{said}</span>}
      </p>
      <div className="keys-sheet">
        {ROOMS.map((room) => (
          <section key={room}>
            <h3>{room === 'everywhere' ? 'Everywhere' : room}</h3>
            {(Object.keys(ACTIONS) as ActionName[])
              .filter((action) => ACTIONS[action].room === room)
              .map((action) => (
                <div key={action} className="keys-row">
                  <button
                    type="button"
                    className="key key-button"
                    onClick={() => setWaiting(action)}
                    aria-label={`change the key: ${ACTIONS[action].does}`}
                  >
                    {waiting === action ? 'press a key' : keyText(changed[action] ?? ACTIONS[action].key)}
                  </button>
                  <span>{ACTIONS[action].does}</span>
                  {changed[action] && (
                    <Button size="compact-xs" variant="subtle" onClick={() => set(action, null)}>
                      as it was
                    </Button>
                  )}
                </div>
              ))}
          </section>
        ))}
      </div>
    </Modal>
  )
}
