import { Button, Progress } from '@mantine/core'
import type { Job } from '../../api/client'
import { useJobActions } from '../../api/production'
import { sayProblem } from '../../app/messages'

/** A job that goes on: how far it is, and a way to stop it. */
export function JobGoing({ production, job }: { production: string; job: Job }) {
  const { cancel } = useJobActions(production)
  return (
    <div className="polish-scan" data-testid="polish-job">
      <p className="quiet">{job.step || `waiting to ${job.kind}`}</p>
      <Progress value={job.progress * 100} aria-label="done so far" />
      <Button size="compact-xs" variant="default" onClick={() => cancel.mutate(job.id, { onError: sayProblem })}>
        Stop
      </Button>
    </div>
  )
}
