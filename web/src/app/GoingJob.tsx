import { Button, Progress } from '@mantine/core'
import type { Job } from '../api/client'
import { useJobActions } from '../api/production'
import { sayProblem } from './messages'

type Props = { production: string; job: Job; label: string }

/** How far a job is, and a way to stop it. */
export function GoingJob({ production, job, label }: Props) {
  const { cancel } = useJobActions(production)
  return (
    <span className="cutting" role="status">
      {job.step || 'waiting for its turn'} <Progress value={job.progress * 100} w={90} aria-label={label} />
      <Button size="compact-xs" variant="default" onClick={() => cancel.mutate(job.id, { onError: sayProblem })}>
        Stop
      </Button>
    </span>
  )
}
