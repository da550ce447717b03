import { useQueryClient } from '@tanstack/react-query'
import type { Job } from '../api/client'
import { isGoing, refetchProduction, useCut, useJobsOf } from '../api/production'
import { GoingJob } from './GoingJob'
import { sayProblem } from './messages'

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
  if (isGoing(job)) return <GoingJob production={production} job={job} label="cut so far" />
  if (job.state === 'failed') return <span className="cutting">{job.error}</span>
  if (job.state !== 'done') return null
  const { lines, takes, loose } = job.result as Result
  return (
    <span className="cutting" data-testid="cut">
      cut into {takes} takes of {lines} lines
      {loose.length > 0 && `; what is said at ${loose.join(', ')} fits no line and is kept aside`}
    </span>
  )
}
