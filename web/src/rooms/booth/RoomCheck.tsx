import { Button, Popover, Progress } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import type { RoomCheck as Checked, Production } from '../../api/client'
import { useRoomCheck, useRoomChecking } from '../../api/production'
import { useEngine, useWatched } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { decibelText } from '../../app/numbers'
import { packSamples } from '../../engine/pack'
import { SAMPLE_RATE } from '../../engine/time'

const SECONDS = 4

/** A few seconds in which nobody speaks: how loud the room is, what is in it, what to try. */
export function RoomCheck({ production, busy }: { production: Production; busy: boolean }) {
  const { input } = useEngine()
  const { choice } = useWatched(input.chosen)
  const { data: room } = useRoomCheck(production.id)
  const check = useRoomChecking(production.id)
  const [opened, setOpened] = useState(false)
  const [since, setSince] = useState<number | null>(null)
  const [said, setSaid] = useState('')
  const stop = useRef<AbortController | null>(null)
  const listen = async () => {
    if (busy || since !== null || !choice) return
    const own = new AbortController()
    stop.current = own
    setOpened(true)
    setSaid('')
    setSince(performance.now())
    try {
      const silence = new AudioBuffer({ length: SECONDS * SAMPLE_RATE, sampleRate: SAMPLE_RATE })
      const heard = await input.listenTo(silence, own.signal)
      await check.mutateAsync({ sound: packSamples(heard), input: choice.label })
    } catch (error) {
      if (!own.signal.aborted) setSaid(error instanceof Error ? error.message : 'The room could not be heard. Try again.')
    } finally {
      setSince(null)
    }
  }
  useKeys({ roomCheck: () => void listen() })
  if (!choice) return null
  const close = () => {
    stop.current?.abort()
    setOpened(false)
    setSaid('')
  }
  const grave = room?.advice.some((one) => one.grave)
  return (
    <Popover opened={opened} onChange={(open) => !open && close()} width={400} position="top-end" withArrow trapFocus>
      <Popover.Target>
        <Button
          size="compact-xs"
          variant={room && !grave ? 'subtle' : 'default'}
          color="gray"
          disabled={busy}
          onClick={() => (opened ? close() : setOpened(true))}
          data-testid="room"
        >
          {room ? `room ${decibelText(room.noise, 0)} dBFS${grave ? ': heard' : ''}` : 'room not checked'}
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <div className="loop" data-testid="room-check">
          <h3>The room</h3>
          {since !== null ? (
            <Listening since={since} />
          ) : room ? (
            <Found room={room} />
          ) : (
            <p>Fans, fridge, windows, phones: what is forgotten is heard in every take.</p>
          )}
          {said && (
            <p className="input-said" role="alert">
              {said}
            </p>
          )}
          <p className="quiet">
            Keep still for {SECONDS} seconds. They are kept as room tone in the production’s folder.{' '}
            <Key action="roomCheck" />
          </p>
          <div className="loop-doors">
            <Button size="xs" onClick={() => void listen()} disabled={since !== null} data-testid="listen-to-room">
              {room ? 'Listen again' : 'Listen'}
            </Button>
            <Button size="xs" variant="default" onClick={close}>
              {since !== null ? 'Stop' : 'Close'}
            </Button>
          </div>
        </div>
      </Popover.Dropdown>
    </Popover>
  )
}

function Listening({ since }: { since: number }) {
  const [share, setShare] = useState(0)
  useEffect(() => {
    const timer = setInterval(() => setShare(Math.min(1, (performance.now() - since) / (SECONDS * 1000 + 300))), 100)
    return () => clearInterval(timer)
  }, [since])
  return (
    <>
      <p role="status">Listening. Keep still.</p>
      <Progress value={share * 100} aria-label="listened so far" />
    </>
  )
}

function Found({ room }: { room: Checked }) {
  return (
    <>
      <p className="room-noise">
        <b>{decibelText(room.noise, 0)} dBFS</b> of noise, {decibelText(room.weighted, 0)} by the A curve
      </p>
      <ul className="room-advice">
        {room.advice.map(({ found, remedy, grave }) => (
          <li key={found} data-grave={grave}>
            <b>{found}</b> {remedy}
          </li>
        ))}
      </ul>
    </>
  )
}
