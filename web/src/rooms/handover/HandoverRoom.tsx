import { Button, Progress } from '@mantine/core'
import { Link } from 'react-router'
import type { Job, Production, StandingVoice } from '../../api/client'
import { useJobActions, useJobs } from '../../api/production'
import { timecodeAt, useRoom, voicesOf } from '../../app/room'
import { sayProblem } from '../../app/Said'
import { SAMPLE_RATE, secondsText } from '../../engine/time'
import './handover.css'

const WRITES = ['film with the voice', 'voice files', 'whole voice'] as const
type Kind = (typeof WRITES)[number]
const NAMES: Record<string, string> = {
  'film with the voice': 'Film with the voice',
  'voice files': 'Voice files',
  'whole voice': 'The whole voice',
}
/** Something that can be written: what it is, and what is said where it can't be. */
type Written = {
  kind: Kind
  title: string
  says: string
  button: string
  id: string
  possible?: boolean
  instead?: string
}
const isWriting = (job: Job) => WRITES.includes(job.kind as Kind)

/** Hand over: what will be written, under which names, how far it is, what is done. */
export function Component() {
  const { production } = useRoom()
  const { begin, cancel, retry } = useJobActions(production.id)
  const { data: jobs, error } = useJobs(production.id)
  const voices = voicesOf(production)
  const open = voices.filter((voice) => voice.provisional).length
  const silent = production.lines.length - voices.length
  const pictured = production.picture.pieces.length > 0
  const kinds: Written[] = [
    {
      kind: 'film with the voice',
      title: 'The film with the voice in it',
      says: 'MP4. The picture untouched where nothing was cut, each reading where it lies, all other sound ducked while the voice speaks.',
      button: 'Write the film',
      id: 'write-film',
      possible: pictured,
      instead: 'There is no picture in this production.',
    },
    {
      kind: 'voice files',
      title: 'The voice files',
      says: 'One archive with a WAV for each line, 48 kHz 24 bit, and a list of where each begins.',
      button: 'Write the voice files',
      id: 'write-voice',
    },
    {
      kind: 'whole voice',
      title: 'The whole voice as one file',
      says: `One WAV, 48 kHz 24 bit mono, as long as the ${pictured ? 'picture' : 'programme'}; its time reference is the programme’s start, so that it falls into place in another program.`,
      button: 'Write the whole voice',
      id: 'write-whole',
    },
  ]
  const going = (kind: string) =>
    jobs?.some((job) => job.kind === kind && (job.state === 'waiting' || job.state === 'running'))
  const start = (kind: Kind) => begin.mutate(kind, { onError: sayProblem })
  return (
    <div className="handover">
      <section className="handover-what">
        {kinds.map(({ kind, title, says, button, id, possible = true, instead }) => (
          <div key={kind} className="handover-kind">
            <h2>{title}</h2>
            <p className="quiet">{says}</p>
            <Button
              disabled={!voices.length || !possible || going(kind)}
              onClick={() => start(kind)}
              variant={kind === 'film with the voice' ? 'filled' : 'default'}
              data-testid={id}
            >
              {button}
            </Button>
            {!possible && <p className="quiet">{instead}</p>}
          </div>
        ))}
        {open > 0 && (
          <p className="handover-open">
            {open === 1 ? 'One line has' : `${open} lines have`} no pick: what was read last is written, and the list says
            so. <Link to="../takes">Pick in Takes</Link>
          </p>
        )}
        {silent > 0 && (
          <p className="handover-open">
            {silent === 1 ? 'One line was' : `${silent} lines were`} never read and will be silent.{' '}
            <Link to="../booth">Read in the Booth</Link>
          </p>
        )}
        <h2>Written</h2>
        {error && <p role="alert">{error.message}</p>}
        <ul className="handover-jobs" aria-live="polite" aria-busy={!jobs} data-testid="jobs">
          {jobs
            ?.filter((job) => isWriting(job))
            .map((job) => (
              <OneJob
                key={job.id}
                job={job}
                onCancel={() => cancel.mutate(job.id, { onError: sayProblem })}
                onRetry={() => retry.mutate(job.id, { onError: sayProblem })}
              />
            ))}
        </ul>
        {jobs && !jobs.some((job) => isWriting(job)) && <p className="quiet">Nothing has been written yet.</p>}
      </section>
      <Names production={production} voices={voices} />
    </div>
  )
}

type Result = { file?: string; bytes?: number; files?: number; limited?: { share: number; deepest: number } }

/** How hard the ceiling had to work. */
function limitedText({ limited }: Result): string {
  if (!limited) return ''
  if (!limited.share) return ' · the ceiling had nothing to do'
  const share = (limited.share * 100).toFixed(limited.share < 0.001 ? 2 : 1)
  return ` · the ceiling worked ${share} % of the time, at most ${(-limited.deepest).toFixed(1)} dB`
}

function OneJob({ job, onCancel, onRetry }: { job: Job; onCancel: () => void; onRetry: () => void }) {
  const result = job.result as Result
  const going = job.state === 'waiting' || job.state === 'running'
  return (
    <li data-testid="job" data-state={job.state}>
      <span className="handover-job-name">
        {result.file ?? NAMES[job.kind]}
        <small className="quiet">
          {job.state === 'done' &&
            `${size(result.bytes ?? 0)}${result.files ? ` · ${result.files} files` : ''}${limitedText(result)}`}
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
function Names({ production, voices }: { production: Production; voices: StandingVoice[] }) {
  return (
    <aside className="handover-names">
      <h2>
        {voices.length} {voices.length === 1 ? 'file' : 'files'}
      </h2>
      {!voices.length && (
        <p className="quiet">
          Nothing was read yet. <Link to="../booth">Read in the Booth</Link>; each reading will stand here.
        </p>
      )}
      <ol>
        {production.lines.map(({ id, number, voice }) =>
          voice ? (
            <li key={id}>
              <span className="page-number">{number}</span>
              <span className="handover-file">
                {voice.file}
                <small className="quiet">
                  {timecodeAt(production, voice.span[0]!)} · {secondsText(voice.length)} s · {voice.name}
                  {voice.provisional && ' · not picked'}
                </small>
              </span>
              {voice.kind === 'take' ? (
                <a href={`/api/takes/${voice.id}/recording/?download=1`} download>
                  WAV
                </a>
              ) : (
                voice.length <= LONGEST_DOWNLOAD && (
                  <a href={`/api/voices/${voice.id}/${voice.key}/sound/`} download={voice.file}>
                    WAV
                  </a>
                )
              )}
            </li>
          ) : null,
        )}
      </ol>
    </aside>
  )
}

const LONGEST_DOWNLOAD = 60 * SAMPLE_RATE
