import { useEngine, useWatched } from '../../app/engine'
import { secondsText } from '../../engine/time'

/** Where the sound is that was recorded: with the server, on its way, or waiting in this browser. Calm, and always there. */
export function Safety() {
  const { bytes, online, reached, said } = useWatched(useEngine().outbox.waiting)
  const seconds = secondsText(bytes / 3)
  const few = bytes < 3 * 48_000
  const kind = !online && !reached ? 'away' : !online || said ? 'said' : few ? 'safe' : 'behind'
  const words = {
    away: `Server not reached. ${seconds} s are kept in this browser and go by themselves when it is back.`,
    said: `${said}${online ? '' : ` ${seconds} s wait here.`}`,
    safe: bytes ? 'with the server' : 'all is with the server',
    behind: `${seconds} s on their way to the server`,
  }[kind]
  return (
    <p className="safety" data-kind={kind} role={kind === 'safe' ? undefined : 'status'} data-testid="safety">
      {words}
    </p>
  )
}
