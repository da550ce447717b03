import { Button, Progress } from '@mantine/core'
import { Link } from 'react-router'
import type { Job, Production, Take } from '../../api/client'
import { useJobActions, useJobs } from '../../api/production'
import { picks, timecodeAt, useRoom } from '../../app/room'
import { sayProblem } from '../../app/Said'
import { secondsText } from '../../engine/time'
import './handover.css'

const WRITES = new Set(['film with the voice', 'voice files'])

/** Hand over: what will be written, under which names, how far it is, what is done. */
export function Component() {
  const { production } = useRoom()
  const { begin, cancel, retry } = useJobActions(production.id)
  const { data: jobs, error } = useJobs(production.id)
  const picked = picks(production)
  const going = (kind: string) =>
    jobs?.some((job) => job.kind === kind && (job.state === 'waiting' || job.state === 'running'))
  const start = (kind: 'film with the voice' | 'voice files') => begin.mutate(kind, { onError: sayProblem })
  const open = production.lines.length - picked.length
  return (
    <div className="handover">
      <section className="handover-what">
        <div className="handover-kind">
          <h2>The film with the voice in it</h2>
          <p className="quiet">
            MP4. The picture untouched, each picked take where it was read, the film’s own sound 12 dB lower while the voice
            speaks.
          </p>
          <Button
            disabled={!picked.length || !production.picture.pieces.length || going('film with the voice')}
            onClick={() => start('film with the voice')}
            data-testid="write-film"
          >
            Write the film
          </Button>
          {!production.picture.pieces.length && <p className="quiet">There is no picture in this production.</p>}
        </div>
        <div className="handover-kind">
          <h2>The voice files</h2>
          <p className="quiet">
            One archive with a WAV for each picked line, 48 kHz 24 bit as recorded, and a list of where each begins.
          </p>
          <Button
            disabled={!picked.length || going('voice files')}
            onClick={() => start('voice files')}
            variant="default"
            data-testid="write-voice"
          >
            Write the voice files
          </Button>
        </div>
        {open > 0 && (
          <p className="handover-open">
            {open} of {production.lines.length} lines {open === 1 ? 'has' : 'have'} no pick yet and will be silent.{' '}
            <Link to="../takes">Pick them</Link>
          </p>
        )}
        <h2>Written</h2>
        {error && <p role="alert">{error.message}</p>}
        <ul className="handover-jobs" aria-live="polite" aria-busy={!jobs} data-testid="jobs">
          {jobs
            ?.filter((job) => WRITES.has(job.kind))
            .map((job) => (
              <OneJob
                key={job.id}
                job={job}
                onCancel={() => cancel.mutate(job.id, { onError: sayProblem })}
                onRetry={() => retry.mutate(job.id, { onError: sayProblem })}
              />
            ))}
        </ul>
        {jobs && !jobs.some((job) => WRITES.has(job.kind)) && <p className="quiet">Nothing has been written yet.</p>}
      </section>
      <Names production={production} picked={picked} />
    </div>
  )
}

function OneJob({ job, onCancel, onRetry }: { job: Job; onCancel: () => void; onRetry: () => void }) {
  const result = job.result as { file?: string; bytes?: number; files?: number }
  const going = job.state === 'waiting' || job.state === 'running'
  return (
    <li data-testid="job" data-state={job.state}>
      <span className="handover-job-name">
        {result.file ?? (job.kind === 'voice files' ? 'Voice files' : 'Film with the voice')}
        <small className="quiet">
          {job.state === 'done' && `${size(result.bytes ?? 0)}${result.files ? ` · ${result.files} files` : ''}`}
          {job.state === 'failed' && job.error}
          {job.state === 'cancelled' && 'stopped; nothing was written'}
          {going && (job.step || 'waiting for its turn')}
        </small>
      </span>
      {going && <Progress value={job.progress * 100} w={180} aria-label="written so far" />}
      {going && (
        <Button size="compact-sm" variant="default" onClick={onCancel}>
          {job.cancel_wanted ? 'stopping' : 'Stop'}
        </Button>
      )}
      {(job.state === 'failed' || job.state === 'cancelled') && (
        <Button size="compact-sm" variant="default" onClick={onRetry}>
          Try again
        </Button>
      )}
      {job.state === 'done' && (
        <Button size="compact-sm" component="a" href={`/api/jobs/${job.id}/file/`} download data-testid="download">
          Download
        </Button>
      )}
    </li>
  )
}

function size(bytes: number): string {
  return bytes < 1e6 ? `${Math.max(1, Math.round(bytes / 1000))} kB` : `${(bytes / 1e6).toFixed(1)} MB`
}

/** Every file that will be written, with the moment it begins. */
function Names({ production, picked }: { production: Production; picked: Take[] }) {
  const numbers = new Map(production.lines.map((line) => [line.id, line.number]))
  return (
    <aside className="handover-names">
      <h2>
        {picked.length} {picked.length === 1 ? 'file' : 'files'}
      </h2>
      {!picked.length && (
        <p className="quiet">
          No take is picked yet. <Link to="../takes">Choose in Takes</Link>; each picked one will stand here.
        </p>
      )}
      <ol>
        {picked.map((take) => (
          <li key={take.id}>
            <span className="page-number">{numbers.get(take.line)}</span>
            <span className="handover-file">
              {take.file}
              <small className="quiet">
                {timecodeAt(production, take.start)} · {secondsText(take.length)} s · {take.folder}
              </small>
            </span>
            <a href={`/api/takes/${take.id}/audio/?download=1`} download>
              WAV
            </a>
          </li>
        ))}
      </ol>
    </aside>
  )
}
