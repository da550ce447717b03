import { Button, Progress } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import type { Job } from '../api/client'
import { isGoing, refetchProduction, useCut, useJobActions, useJobsOf } from '../api/production'
import { sayProblem } from './Said'

const KINDS = ['cut into lines']
type Result = { lines: number; takes: number; loose: string[] }

/** Cut a take into the lines that were read in it; its job, once there is one. */
export function useCutting(production: string, take: string | undefined) {
  const queries = useQueryClient()
  const jobs = useJobsOf(production, KINDS, () => void refetchProduction(queries, production))
  const { mutate } = useCut(production)
  const job = jobs?.find(({ about }) => about === take)
  return { job, cut: () => take && mutate(take, { onError: sayProblem }) }
}

/** How far the cutting is, or what came of it. */
export function Cutting({ production, job }: { production: string; job: Job }) {
  const { cancel } = useJobActions(production)
  if (isGoing(job))
    return (
      <span className="cutting" role="status">
        {job.step || 'waiting for its turn'} <Progress value={job.progress * 100} w={90} aria-label="cut so far" />
        <Button size="compact-xs" variant="default" onClick={() => cancel.mutate(job.id, { onError: sayProblem })}>
          Stop
        </Button>
      </span>
    )
  if (job.state === 'failed') return <span className="cutting">{job.error}</span>
  if (job.state !== 'done') return null
  const { lines, takes, loose } = job.result as Result
  return (
    <span className="cutting" data-testid="cut">
      cut into {takes} takes of {lines} lines
      {loose.length > 0 && `; nothing fits what is said at ${loose.join(', ')}`}
    </span>
  )
}
