import { Button, Progress, TextInput } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { csrfToken, type Film, type Production } from '../../api/client'
import { refetchProduction, useEdits, useJobActions, useJobs } from '../../api/production'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { rateOf, timecodeAt, useRoom } from '../../app/room'
import { sayProblem } from '../../app/Said'
import { secondsText, timecode } from '../../engine/time'
import { Stage } from '../../page/Stage'
import './picture.css'

type Sending = { name: string; share: number; cancel: () => void } | null

/** The film that is read against: bring it in, see its shots. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const queries = useQueryClient()
  const chooser = useRef<HTMLInputElement>(null)
  const [sending, setSending] = useState<Sending>(null)
  const [said, setSaid] = useState('')
  const [over, setOver] = useState(false)
  const { film } = production

  const send = (file: File) => {
    setSaid('')
    const request = new XMLHttpRequest()
    const query = new URLSearchParams({ name: file.name })
    request.open('POST', `/api/productions/${production.id}/films/?${query}`)
    request.setRequestHeader('Content-Type', 'application/octet-stream')
    request.setRequestHeader('X-CSRFToken', csrfToken())
    request.responseType = 'json'
    setSending({ name: file.name, share: 0, cancel: () => request.abort() })
    request.upload.onprogress = ({ loaded, total }) => setSending((now) => now && { ...now, share: loaded / total })
    request.onloadend = () => {
      setSending(null)
      if (request.status === 201) {
        void refetchProduction(queries, production.id)
        void queries.invalidateQueries({ queryKey: ['jobs', production.id] })
      } else if (request.status) setSaid(request.response?.detail ?? `The server answered with ${request.status}.`)
    }
    request.onerror = () => setSaid('The connection broke off, so the film did not arrive. Nothing was changed; try again.')
    request.onabort = () => setSaid('Stopped. Nothing was changed.')
    request.send(file)
  }

  const shotFrom = (by: number) => {
    if (!film) return
    const at = engine.transport.position()
    const starts = film.shots.map((shot) => shot[0]!)
    const next = by > 0 ? starts.find((start) => start > at) : starts.filter((start) => start < at).at(-1)
    if (next !== undefined) engine.transport.seek(next)
  }
  const { edit } = useEdits(production.id)
  const [naming, setNaming] = useState<number | null>(null)
  const shotHere = () => {
    const at = engine.transport.position()
    return film
      ? Math.max(
          0,
          film.shots.findLastIndex((shot) => shot[0]! <= at),
        )
      : 0
  }
  const change = (kind: 'part_shot' | 'join_shots') =>
    film && edit.mutate({ kind, at: engine.transport.position() }, { onError: sayProblem })
  useKeys({
    shotBack: () => shotFrom(-1),
    shotOn: () => shotFrom(1),
    shotPart: () => change('part_shot'),
    shotJoin: () => change('join_shots'),
    shotName: () => film && setNaming(shotHere()),
  })

  return (
    <section
      className={`picture-room${over ? ' over' : ''}`}
      aria-label="Picture"
      onDragOver={(event) => {
        event.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault()
        setOver(false)
        const file = event.dataTransfer.files[0]
        if (file) send(file)
      }}
    >
      <div className="picture-left">
        <Stage film={film} className="picture-stage" />
        <div className="picture-under">
          <Key action="play">play</Key> <Key action="frameBack" /> <Key action="frameOn">frame</Key>{' '}
          <Key action="shotBack" /> <Key action="shotOn">shot</Key> <Key action="shotPart">a shot begins here</Key>{' '}
          <Key action="shotJoin">join with the one before</Key> <Key action="shotName">name it</Key>
        </div>
      </div>
      <aside className="picture-side">
        <input
          ref={chooser}
          type="file"
          hidden
          accept="video/*,.mkv,.mov,.mp4,.webm,.avi,.mpg,.ts"
          data-testid="film-file"
          onChange={(event) => {
            const file = event.currentTarget.files?.[0]
            event.currentTarget.value = ''
            if (file) send(file)
          }}
        />
        {film ? <FilmFacts production={production} film={film} /> : <EmptyPicture />}
        {said && (
          <p className="picture-problem" role="alert">
            {said}
          </p>
        )}
        {sending ? (
          <div>
            <p>
              bringing in {sending.name} · {Math.round(sending.share * 100)} %
            </p>
            <Progress value={sending.share * 100} aria-label="arrived" />
            <Button size="compact-sm" variant="default" mt={8} onClick={sending.cancel}>
              Stop
            </Button>
          </div>
        ) : (
          <div>
            <Button variant={film ? 'default' : 'filled'} onClick={() => chooser.current?.click()}>
              {film ? 'Bring in another film' : 'Choose a film'}
            </Button>
            <p className="quiet picture-drop">or drop one here. MP4, MOV, MKV, WebM and most others.</p>
          </div>
        )}
        <Preparing production={production} />
        {film && film.shots.length > 0 && (
          <Shots
            production={production}
            film={film}
            naming={naming}
            onNamed={(index, name) => {
              setNaming(null)
              if (name !== null)
                edit.mutate({ kind: 'name_shot', at: film.shots[index]![0]!, called: name }, { onError: sayProblem })
            }}
          />
        )}
      </aside>
    </section>
  )
}

function EmptyPicture() {
  return (
    <div>
      <h2>No picture yet</h2>
      <p className="quiet">
        Bring in the film that is read against; its cuts become shots. Without one, lines can be read all the same: go on to
        Script.
      </p>
    </div>
  )
}

function FilmFacts({ production, film }: { production: Production; film: Film }) {
  const rate = rateOf(production)
  const fps = (rate.above / rate.below).toFixed(3).replace(/\.?0+$/, '')
  return (
    <div>
      <h2 className="picture-name">{film.name}</h2>
      <p className="quiet">
        {film.width} × {film.height} · {fps} frames a second · {timecode(film.frames, rate)} long ·{' '}
        {film.shots.length === 1 ? 'one shot' : `${film.shots.length} shots`}
      </p>
      {film.remarks.map((remark) => (
        <p key={remark} className="picture-remark">
          {remark}
        </p>
      ))}
      {film.state === 'failed' && (
        <p className="picture-problem" role="alert">
          {film.error}
        </p>
      )}
    </div>
  )
}

/** The job that makes the film quick to play. */
function Preparing({ production }: { production: Production }) {
  const { data } = useJobs(production.id)
  const { cancel, retry } = useJobActions(production.id)
  const queries = useQueryClient()
  const job = data?.find((one) => one.kind === 'prepare film')
  const going = job && (job.state === 'waiting' || job.state === 'running')
  const state = job?.state
  useEffect(() => {
    if (state === 'done' || state === 'failed') void refetchProduction(queries, production.id)
  }, [state, queries, production.id])
  if (!job || job.state === 'done') return null
  return (
    <div className="picture-job" data-testid="prepare-job">
      {going && (
        <>
          <p>{job.step || 'waiting for its turn'}</p>
          <Progress value={job.progress * 100} aria-label="made so far" />
          <Button size="compact-sm" variant="default" mt={8} onClick={() => cancel.mutate(job.id, { onError: sayProblem })}>
            {job.cancel_wanted ? 'stopping' : 'Stop'}
          </Button>
        </>
      )}
      {(job.state === 'failed' || job.state === 'cancelled') && (
        <>
          <p>
            {job.state === 'failed' ? job.error : 'Preparing the film was stopped. It may step slowly, or show no strip.'}
          </p>
          <Button size="compact-sm" variant="default" mt={8} onClick={() => retry.mutate(job.id, { onError: sayProblem })}>
            Try again
          </Button>
        </>
      )}
    </div>
  )
}

type ShotsProps = {
  production: Production
  film: Film
  naming: number | null
  /** A shot was named; null when it stays as it was. */
  onNamed: (index: number, name: string | null) => void
}

/** The shots, numbered, with a still each; the one that is seen now is marked and kept in sight. */
function Shots({ production, film, naming, onNamed }: ShotsProps) {
  const engine = useEngine()
  const [here, setHere] = useState(0)
  const list = useRef<HTMLOListElement>(null)
  const { shots } = film
  useEffect(() => {
    const look = (position: number) =>
      setHere(
        Math.max(
          0,
          shots.findLastIndex((shot) => shot[0]! <= position),
        ),
      )
    engine.onFrame.add(look)
    return () => void engine.onFrame.delete(look)
  }, [engine, shots])
  useEffect(() => {
    list.current?.children[here]?.scrollIntoView({ block: 'nearest' })
  }, [here])
  return (
    <ol className="picture-shots" aria-label="shots" ref={list}>
      {film.shots.map((shot, index) => (
        <li key={shot[0]} aria-current={index === here}>
          <button type="button" onClick={() => engine.transport.seek(shot[0]!)}>
            <Still film={film} sample={(shot[0]! + shot[1]!) / 2} />
            <span className="page-number">{index + 1}</span>
            <span className="tc">{timecodeAt(production, shot[0]!)}</span>
            <span className="quiet">{secondsText(shot[1]! - shot[0]!)} s</span>
          </button>
          {naming === index ? (
            <ShotName name={film.shot_names[index] ?? ''} number={index + 1} onNamed={(name) => onNamed(index, name)} />
          ) : (
            film.shot_names[index] && <span className="picture-shot-name">{film.shot_names[index]}</span>
          )}
        </li>
      ))}
    </ol>
  )
}

function ShotName({ name, number, onNamed }: { name: string; number: number; onNamed: (name: string | null) => void }) {
  const [text, setText] = useState(name)
  return (
    <TextInput
      size="xs"
      className="picture-shot-name"
      aria-label={`name of shot ${number}`}
      placeholder="what is seen"
      maxLength={80}
      autoFocus
      value={text}
      onChange={(event) => setText(event.currentTarget.value)}
      onBlur={() => onNamed(text === name ? null : text)}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur()
        else if (event.key === 'Escape') onNamed(null)
      }}
    />
  )
}

/** One small picture out of the strip. */
function Still({ film, sample }: { film: Film; sample: number }) {
  if (!film.strip_columns) return <span className="picture-still" />
  const column = Math.min(film.strip_columns - 1, Math.floor((sample / film.length) * film.strip_columns))
  const position = `-${(column % 20) * 64}px -${Math.floor(column / 20) * 36}px`
  return (
    <span
      className="picture-still"
      style={{ backgroundImage: `url(/api/films/${film.id}/strip/)`, backgroundPosition: position }}
    />
  )
}
