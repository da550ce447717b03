import { Button, Menu, Progress } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect } from 'react'
import type { Edit, Job, Production, Source } from '../../api/client'
import { refetchProduction, useJobActions, useJobs } from '../../api/production'
import { useEngine } from '../../app/engine'
import { sayProblem } from '../../app/messages'
import { useSelection } from '../../app/selection'
import { secondsText } from '../../engine/time'
import { loudnessOf } from './Reel'
import { Still } from './Still'
import { useReel } from './useReel'

/** Everything that was brought in, whether it lies in the reel or not. */
export function Files({ production }: { production: Production }) {
  const { sources } = production.picture
  const { data } = useJobs(production.id)
  const newest = new Map<string, Job>()
  const prepared = data?.filter((job) => job.kind === 'prepare source') ?? []
  for (const job of [...prepared].reverse()) newest.set(job.about, job)
  return (
    <ul className="picture-list" aria-label="files">
      {sources.map((source) => (
        <li key={source.id}>
          <File production={production} source={source} job={newest.get(source.id)} />
        </li>
      ))}
    </ul>
  )
}

function told(source: Source): string {
  const fps = (source.fps[0]! / source.fps[1]!).toFixed(3).replace(/\.?0+$/, '')
  const size = source.width ? `${source.width}\u00a0×\u00a0${source.height}` : ''
  if (source.kind === 'slides') return `${source.pages} pages`
  if (source.kind === 'still') return size
  const long = `${secondsText(source.length)} s`
  if (source.kind === 'sound') return `sound, ${long}${loudnessOf(source)}`
  return `${size} · ${fps} frames a second · ${long}`
}

function File({ production, source, job }: { production: Production; source: Source; job: Job | undefined }) {
  const engine = useEngine()
  const queries = useQueryClient()
  const { edit, clip } = useReel(production)
  const follows = useSelection((now) => now.follows)
  const { cancel, retry } = useJobActions(production.id)
  const state = job?.state
  useEffect(() => {
    if (state === 'done' || state === 'failed') void refetchProduction(queries, production.id)
  }, [state, queries, production.id])
  const going = state === 'waiting' || state === 'running'
  const shown = { source: source.id }
  const put = (at: number | null): Edit => ({ kind: 'add_clips', clips: [shown], at, follow: follows })
  return (
    <div className="picture-file">
      <Still source={source} />
      <div>
        <span className="picture-called">{source.name}</span>
        <span className="quiet"> {told(source)}</span>
        {source.remarks.map((remark) => (
          <p key={remark} className="picture-remark">
            {remark}
          </p>
        ))}
        {source.state === 'failed' && (
          <p className="picture-problem" role="alert">
            {source.error}
          </p>
        )}
        {job && going && (
          <div className="picture-job" data-testid="prepare-job">
            <span className="quiet">{job.step || 'waits for its turn'}</span>
            <Progress value={job.progress * 100} aria-label="made so far" />
            <Button size="compact-xs" variant="default" onClick={() => cancel.mutate(job.id, { onError: sayProblem })}>
              {job.cancel_wanted ? 'stopping' : 'Stop'}
            </Button>
          </div>
        )}
        {job && (state === 'failed' || state === 'cancelled') && (
          <div className="picture-job" data-testid="prepare-job">
            {state === 'cancelled' && <span>Preparing it was stopped. It may step slowly, or show nothing yet.</span>}
            <Button size="compact-xs" variant="default" onClick={() => retry.mutate(job.id, { onError: sayProblem })}>
              Try again
            </Button>
          </div>
        )}
      </div>
      <Menu position="bottom-end" withinPortal>
        <Menu.Target>
          <Button size="compact-xs" variant="default" aria-label={`what to do with ${source.name}`}>
            use
          </Button>
        </Menu.Target>
        <Menu.Dropdown>
          {source.kind !== 'sound' && (
            <>
              <Menu.Item onClick={() => edit(put(null))}>Put it at the end</Menu.Item>
              <Menu.Item onClick={() => edit(put(engine.transport.position()))}>Put it in where the position is</Menu.Item>
            </>
          )}
          {source.kind !== 'sound' && clip && (
            <Menu.Item onClick={() => edit({ kind: 'fill_clip', clip: clip.id, shown, first: 0 })}>
              Put it in the place of the chosen clip, keeping its length
            </Menu.Item>
          )}
          {source.sound_pieces > 0 && (
            <>
              <Menu.Item
                onClick={() =>
                  edit({ kind: 'lay_sound', source: source.id, at: engine.transport.position(), original: false })
                }
              >
                Lay its sound from the position on
              </Menu.Item>
              <Menu.Item
                onClick={() =>
                  edit({ kind: 'lay_sound', source: source.id, at: engine.transport.position(), original: true })
                }
              >
                Lay its sound as the original that is listened to
              </Menu.Item>
            </>
          )}
          {source.noted && (
            <Menu.Item onClick={() => edit({ kind: 'lines_from_notes', source: source.id, fit: true })}>
              Make a line of each page’s notes, and let each page stand as long as its words
            </Menu.Item>
          )}
        </Menu.Dropdown>
      </Menu>
    </div>
  )
}
