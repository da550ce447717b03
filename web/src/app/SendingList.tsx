import { Button, Progress } from '@mantine/core'
import { Link } from 'react-router'
import { type Sent, stop, useSending } from './sending'

const STATES: Record<Sent['state'], string> = {
  waiting: 'waits for its turn',
  sending: 'is being sent',
  away: 'the connection is away; it goes on when that is back',
  judging: 'is being looked at',
  opening: 'is being opened',
  done: '',
  refused: '',
  stopped: '',
}

/** Files on their way to the server, each with its progress and a way to stop it. */
export function SendingList({ production, readings = false }: { production: string; readings?: boolean }) {
  const { files, forget } = useSending()
  const own = files.filter((file) => file.production === production && Boolean(file.line) === readings)
  if (!own.length) return null
  return (
    <ul className="sending" aria-label="files on their way">
      {own.map((file) => (
        <li key={file.id} data-state={file.state}>
          <span className="sending-name">{file.name}</span>
          {file.said ? (
            <p className="sending-said" role="alert">
              {file.said}
            </p>
          ) : (
            <span className="quiet">
              {STATES[file.state]}
              {(file.state === 'sending' || file.state === 'opening') && ` · ${Math.round(file.share * 100)} %`}
            </span>
          )}
          {['sending', 'away', 'opening'].includes(file.state) && (
            <Progress value={file.share * 100} aria-label={file.state === 'opening' ? 'opened' : 'arrived'} />
          )}
          <span className="sending-keys">
            {['waiting', 'sending', 'away', 'opening'].includes(file.state) ? (
              <Button size="compact-xs" variant="default" onClick={() => stop(file.id)}>
                Stop
              </Button>
            ) : (
              file.said && (
                <>
                  {file.opened && (
                    <Button size="compact-xs" component={Link} to={`/productions/${file.opened}/takes`}>
                      Go to it
                    </Button>
                  )}
                  <Button size="compact-xs" variant="default" onClick={() => forget(file.id)}>
                    Close
                  </Button>
                </>
              )
            )}
          </span>
        </li>
      ))}
    </ul>
  )
}
