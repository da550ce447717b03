import { Button, Progress } from '@mantine/core'
import { useState } from 'react'
import type { Handover, Job, Production } from '../../api/client'
import { isGoing, useJobActions } from '../../api/production'
import { sayProblem } from '../../app/messages'
import { TimelineBack } from './TimelineBack'
import { bytesText } from './text'

type Props = { production: Production; jobs: Job[] | undefined; handovers: Handover[] }

/** What is being written, and what was: the newest first. */
export function Handed({ production, jobs, handovers }: Props) {
  const { cancel, retry } = useJobActions(production.id)
  const open = jobs?.filter((job) => job.state !== 'done') ?? []
  return (
    <div className="handover-list">
      <ul className="handover-jobs" aria-live="polite" aria-busy={!jobs} data-testid="jobs">
        {open.map((job) => (
          <OneJob
            key={job.id}
            job={job}
            onCancel={() => cancel.mutate(job.id, { onError: sayProblem })}
            onRetry={() => retry.mutate(job.id, { onError: sayProblem })}
          />
        ))}
      </ul>
      {!open.length && !handovers.length && <p className="quiet">Nothing has been handed over yet.</p>}
      <ul className="handover-kept" data-testid="handovers">
        {handovers.map((one) => (
          <Kept key={one.id} one={one} />
        ))}
      </ul>
      {handovers.length > 0 && <TimelineBack production={production} />}
    </div>
  )
}

function OneJob({ job, onCancel, onRetry }: { job: Job; onCancel: () => void; onRetry: () => void }) {
  const going = isGoing(job)
  return (
    <li data-testid="job" data-state={job.state}>
      <span className="handover-job-name">
        {job.about}
        <small className="quiet">
          {job.state === 'failed' && job.error}
          {job.state === 'cancelled' && 'stopped; nothing was kept'}
          {going && (job.step || 'waiting for its turn')}
          {going && job.left !== null && `, about ${leftText(job.left)} left`}
        </small>
      </span>
      {going && <Progress value={job.progress * 100} w={110} aria-label="written so far" />}
      {going ? (
        <Button size="compact-sm" variant="default" onClick={onCancel}>
          {job.cancel_wanted ? 'stopping' : 'Stop'}
        </Button>
      ) : (
        <Button size="compact-sm" variant="default" onClick={onRetry}>
          Try again
        </Button>
      )}
    </li>
  )
}

function leftText(seconds: number): string {
  return seconds < 90 ? `${Math.max(1, seconds)} s` : `${Math.round(seconds / 60)} min`
}

/** How hard the ceiling had to work. */
function limitedText({ limited }: Handover): string {
  const { share, deepest } = limited
  if (share === undefined || deepest === undefined) return ''
  if (!share) return 'The ceiling had nothing to do.'
  const told = (share * 100).toFixed(share < 0.001 ? 2 : 1)
  return `The ceiling worked ${told} % of the time, at most ${(-deepest).toFixed(1)} dB.`
}

/** Something that was handed over: all of it as one download, and each file alone. */
function Kept({ one }: { one: Handover }) {
  const [open, setOpen] = useState(false)
  const size = one.files.reduce((sum, file) => sum + file.bytes, 0)
  const findings = one.findings.length
  return (
    <li data-testid="handover">
      <div className="handover-head">
        <span className="handover-file">
          {one.folder}
          <small className="quiet">
            {new Date(one.made).toLocaleString(undefined, { dateStyle: 'medium', timeStyle: 'short' })} · {one.lines}{' '}
            {one.lines === 1 ? 'line' : 'lines'} · {one.files.length} files · {bytesText(size)}
            {findings > 0 && ` · written with ${findings} open ${findings === 1 ? 'point' : 'points'}`}
          </small>
        </span>
        <Button size="compact-sm" component="a" href={`/api/handovers/${one.id}/zip/`} download data-testid="download">
          Download
        </Button>
        <Button size="compact-sm" variant="default" aria-expanded={open} onClick={() => setOpen(!open)}>
          Files
        </Button>
      </div>
      {open && (
        <>
          <p className="quiet">
            In the production’s folder, under Handover/{one.folder}. {limitedText(one)}
          </p>
          <ul className="handover-files">
            {one.files.map((file, number) => (
              <li key={file.path}>
                <a href={`/api/handovers/${one.id}/files/${number}/`} download title={`SHA-256 ${file.sha256}`}>
                  {file.path}
                </a>
                <span className="quiet">{bytesText(file.bytes)}</span>
              </li>
            ))}
          </ul>
        </>
      )}
    </li>
  )
}
