import { Button, Progress } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import type { Job } from '../api/client'
import { refetchProduction, useCut, useJobActions, useJobs } from '../api/production'
import { sayProblem } from './Said'

const KIND = 'cut into lines'
type Result = { lines: number; takes: number; loose: string[] }

/** Cut a take into the lines that were read in it; what came of it is said beside the button. */
export function useCutting(production: string) {
  const queries = useQueryClient()
  const { data: jobs } = useJobs(production)
  const { mutate } = useCut(production)
  const job = jobs?.find((each) => each.kind === KIND)
  const ended = job && (job.state === 'done' || job.state === 'failed' || job.state === 'cancelled') ? job.id : undefined
  const known = useRef(ended)
  useEffect(() => {
    if (ended && known.current !== ended) void refetchProduction(queries, production)
    known.current = ended
  }, [ended, production, queries])
  return { job, cut: (take: string) => mutate(take, { onError: sayProblem }) }
}

export const isCutting = (job: Job | undefined) => job?.state === 'waiting' || job?.state === 'running'

/** How far the cutting is, or what came of it. */
export function Cutting({ production, job }: { production: string; job: Job }) {
  const { cancel } = useJobActions(production)
  if (isCutting(job))
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
