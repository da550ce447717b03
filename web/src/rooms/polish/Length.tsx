import { Button, SegmentedControl } from '@mantine/core'
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { answered, client, type Line, type Production } from '../../api/client'
import { useMaking } from '../../api/making'
import { isGoing, type LengthsWish, refreshProduction, useJobsOf, useSetLengths } from '../../api/production'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { lengthening } from '../../app/lengthening'
import { sayProblem } from '../../app/messages'
import { NumberField } from '../../app/NumberField'
import { roomOf } from '../../app/room'
import { StretchField } from '../../app/StretchField'
import { SAMPLE_RATE, secondsText } from '../../engine/time'
import { JobGoing } from './JobGoing'

const MOST = 6

/** How long something lasts, and a way to make it last as long as it must: this line, or all of them. */
export function Length({ production, line }: { production: Production; line: Line }) {
  const [of, setOf] = useState<'line' | LengthsWish['way']>('line')
  const box = useRef<HTMLDivElement>(null)
  useKeys({ length: () => box.current?.querySelector<HTMLInputElement>('input:not([type=radio])')?.select() })
  return (
    <section className="polish-length" aria-label="length" data-testid="length" ref={box}>
      <h2>
        Length <Key action="length" />
      </h2>
      <SegmentedControl
        size="xs"
        value={of}
        onChange={(value) => setOf(value as typeof of)}
        aria-label="of what"
        data={[
          { value: 'line', label: `line ${line.number}` },
          { value: 'slots', label: 'all to their slots' },
          { value: 'whole', label: 'all together' },
        ]}
      />
      {of === 'line' ? (
        <LineLength production={production} line={line} />
      ) : (
        <Lengths key={of} production={production} way={of} />
      )}
    </section>
  )
}

/** What a line lasts, and as long as it must: shown before it is done. */
function LineLength({ production, line }: { production: Production; line: Line }) {
  const voice = line.voice?.speech ? line.voice : null
  const slot = roomOf(line)
  const [asked, setAsked] = useState<{ line: string; wanted: number } | null>(null)
  const [most, setMost] = useState(MOST)
  const { busy, setLength } = useMaking(production.id, line)
  const now = voice ? voice.speech![1]! - voice.speech![0]! : 0
  const wanted = asked?.line === line.id ? asked.wanted : now
  const query = { voice: voice?.id ?? '', wanted, most: most / 100 }
  const { data, error } = useQuery({
    queryKey: ['length', line.id, voice?.key, voice?.span, wanted, most],
    queryFn: () => answered(client.GET('/api/lines/{line_id}/length/', { params: { path: { line_id: line.id }, query } })),
    enabled: Boolean(voice) && wanted !== now,
    retry: false,
  })
  if (!voice) return <p className="quiet">Line {line.number} was not read yet.</p>
  const make = () => void setLength(voice.id, wanted, most / 100)
  const there = wanted === now
  return (
    <>
      <p>
        Line {line.number} lasts <b className="tc">{secondsText(now, 3)} s</b> from its first word to its last
        {slot !== null && (
          <>
            ; {line.slot ? 'its slot lasts' : 'it is to last'} <b className="tc">{secondsText(slot, 3)} s</b>
          </>
        )}
        .
      </p>
      <div className="polish-length-asked">
        <NumberField
          label="make it last, s"
          value={Number(secondsText(wanted, 3))}
          min={0.1}
          max={86_400}
          step={0.1}
          onSet={(seconds) =>
            setAsked({ line: line.id, wanted: Math.max(SAMPLE_RATE / 10, Math.round(seconds * SAMPLE_RATE)) })
          }
        />
        <StretchField most={most} onSet={setMost} />
        {slot !== null && slot !== wanted && (
          <Button size="xs" variant="default" onClick={() => setAsked({ line: line.id, wanted: slot })}>
            as long as {line.slot ? 'its slot' : 'wanted'}
          </Button>
        )}
        <Button size="xs" onClick={make} disabled={there || !data || Boolean(data.refused)} loading={busy}>
          Make it so
        </Button>
      </div>
      <p className={data?.refused ? 'polish-refused' : 'quiet'} role={error ? 'alert' : undefined}>
        {error ? error.message : !there && data ? (data.refused ? `${data.refused}.` : consequence(data)) : ' '}
      </p>
    </>
  )
}

const JOB = 'set lengths'

/** The lengths of all lines at once, in one edit: shown before it is done, by a job that can be stopped. */
function Lengths({ production, way }: { production: Production; way: LengthsWish['way'] }) {
  const queries = useQueryClient()
  const [typed, setWanted] = useState<number | null>(null)
  const [most, setMost] = useState(MOST)
  const params = { path: { production_id: production.id } }
  const ask = (wanted: number | null) => ({ way, most: most / 100, ...(wanted === null ? {} : { wanted }) })
  const query = ask(typed)
  const { data, error } = useQuery({
    queryKey: ['lengths', production.id, production.revision, query],
    queryFn: () => answered(client.GET('/api/productions/{production_id}/lengths/', { params: { ...params, query } })),
    placeholderData: keepPreviousData,
    retry: false,
  })
  const jobs = useJobsOf(production.id, [JOB], () => void refreshProduction(queries, production.id))
  const set = useSetLengths(production.id)
  const job = jobs?.find(isGoing)
  if (error) return <p role="alert">{error.message}</p>
  if (!data) return <p className="quiet">…</p>
  const number = (id: string) => production.lines.find((one) => one.id === id)?.number
  const can = data.lines.filter((one) => !one.refused)
  const cant = data.lines.filter((one) => one.refused)
  const whole = way === 'whole'
  return (
    <>
      <p>
        {whole ? (
          <>
            All {data.read} lines last <b className="tc">{secondsText(data.now, 3)} s</b>, from the first word to the last.
          </>
        ) : (
          `${data.lines.length || 'No'} line${data.lines.length === 1 ? ' lasts' : 's last'} longer than ${data.lines.length === 1 ? 'its slot' : 'their slots'}.`
        )}
      </p>
      <div className="polish-length-asked">
        {whole && (
          <NumberField
            label="make all of it last, s"
            value={Number(secondsText(typed ?? data.now, 3))}
            min={0.1}
            max={86_400}
            step={0.1}
            onSet={(seconds) => setWanted(Math.max(SAMPLE_RATE / 10, Math.round(seconds * SAMPLE_RATE)))}
          />
        )}
        <StretchField most={most} onSet={setMost} />
        <Button
          size="xs"
          disabled={!can.length || Boolean(job) || (whole && (typed === null || Boolean(data.refused)))}
          loading={set.isPending}
          onClick={() => set.mutate(query, { onError: sayProblem })}
        >
          {can.length && !whole ? `Fit ${can.length === 1 ? 'one line' : `${can.length} lines`}` : 'Make it so'}
        </Button>
      </div>
      {job && <JobGoing production={production.id} job={job} />}
      {jobs?.[0]?.state === 'failed' && <p role="alert">{jobs[0].error}</p>}
      {whole && typed !== null && (
        <p className={data.refused ? 'polish-refused' : 'quiet'}>
          {data.refused ? `${data.refused}.` : `${consequence(data)} Lines move against the picture.`}
        </p>
      )}
      {!whole && data.lines.length > 0 && (
        <ul className="polish-lengths" data-testid="lengths">
          {[...can, ...cant].map((one) => (
            <li key={one.line} className={one.refused ? 'polish-refused' : undefined}>
              <span className="page-number">{number(one.line)}</span>
              <span className="tc">
                {secondsText(one.now, 2)} → {secondsText(one.wanted, 2)} s
              </span>
              <span>{one.refused ? `${one.refused}.` : consequence(one)}</span>
            </li>
          ))}
        </ul>
      )}
    </>
  )
}

/** What would be done, in words. */
function consequence(change: { pauses: number; stretch: number }): string {
  const { pauses, phrases } = lengthening(change)
  const parts = []
  if (pauses) parts.push(`its pauses get ${pauses}`)
  if (phrases) parts.push(`its phrases are read ${phrases}`)
  return parts.length ? `Then ${parts.join(', and ')}.` : 'Then nothing changes that can be heard.'
}
