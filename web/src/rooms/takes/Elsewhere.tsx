import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import { answered, client, type Job, type Line, type Production, type Take } from '../../api/client'
import { isGoing, refetchProduction, useJobsOf } from '../../api/production'
import { GoingJob } from '../../app/GoingJob'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayNote, sayProblem } from '../../app/messages'
import { SendingList } from '../../app/SendingList'
import { send } from '../../app/sending'

const KIND = 'bring in a reading'
type Result = { line: string; number: number; timed: boolean; channel: number }

type Props = { production: Production; line: Line; take: Take | undefined }

/** Readings from elsewhere on their way in, and readings sent to another sound editor. */
export function Elsewhere({ production, line, take }: Props) {
  const queries = useQueryClient()
  const input = useRef<HTMLInputElement>(null)
  /** Jobs whose end was told, or had come before this visit. */
  const told = useRef<Set<string> | null>(null)
  const jobs = useJobsOf(production.id, [KIND], () => void refetchProduction(queries, production.id).then(tell))
  useEffect(() => {
    if (jobs) told.current ??= new Set(jobs.filter((job) => !isGoing(job)).map(({ id }) => id))
  })
  function tell() {
    for (const job of jobs ?? []) {
      if (isGoing(job) || !told.current || told.current.has(job.id)) continue
      told.current.add(job.id)
      if (job.state === 'failed') sayProblem(new Error(job.error))
      if (job.state === 'done') sayNote(said(production, job))
    }
  }
  const sendOutside = async () => {
    if (!take?.voice) return
    try {
      const path = { line_id: line.id, voice_id: take.id }
      const { file } = await answered(client.POST('/api/lines/{line_id}/outside/{voice_id}/', { params: { path } }))
      sayNote(`${take.name} lies in ${file}. Save it there again from your sound editor, and it comes back as a take.`)
    } catch (error) {
      sayProblem(error)
    }
  }
  useKeys({ bringReading: () => input.current?.click(), sendOutside: () => void sendOutside() })
  return (
    <>
      <Key action="bringReading">bring in</Key>
      {take?.voice && <Key action="sendOutside">send out</Key>}
      <input
        ref={input}
        type="file"
        hidden
        multiple
        accept="audio/*,.wav,.w64,.flac,.mp3,.m4a,.aac,.ogg,.opus,.aiff,.aif,.caf"
        data-testid="reading-file"
        onChange={(event) => {
          const files = [...(event.currentTarget.files ?? [])]
          event.currentTarget.value = ''
          send(queries, production.id, files, { line: line.id, byName: files.length > 1 })
        }}
      />
      {jobs?.filter(isGoing).map((job) => (
        <GoingJob key={job.id} production={production.id} job={job} label="brought in so far" />
      ))}
      <SendingList production={production.id} readings />
    </>
  )
}

function said(production: Production, job: Job): string {
  const { line, number, timed, channel } = job.result as Result
  const where = production.lines.find((each) => each.id === line)?.number ?? '?'
  const how = timed
    ? 'It lies where its file says'
    : 'Its file says no time of this programme: its first word begins the slot'
  const which = channel ? `; of its channels number ${channel}, the loudest, was taken` : ''
  return `Take ${number} of line ${where} was brought in. ${how}${which}.`
}
