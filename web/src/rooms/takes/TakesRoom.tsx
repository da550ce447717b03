import { Button } from '@mantine/core'
import { useEffect, useMemo } from 'react'
import { Link } from 'react-router'
import type { Take } from '../../api/client'
import { useEdits, useTakes } from '../../api/production'
import { useDesk } from '../../app/desk'
import { useEngine, useWatched } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { asSpan, scoreOf, useLines, useRoom } from '../../app/room'
import { sayProblem } from '../../app/Said'
import { SAMPLE_RATE, secondsText } from '../../engine/time'
import { Page } from '../../page/Page'
import { Stage } from '../../page/Stage'
import { rowSpan, TakeRow } from './TakeRow'
import './takes.css'

const RUN_UP = Math.round(0.4 * SAMPLE_RATE)

/** Choose: the takes of a line one above another, each heard against the picture with one key. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const { line, lines, index: at, go, step } = useLines(production, engine)
  const { take: chosenTake, chooseTake } = useDesk()
  const { edit } = useEdits(production.id)
  const { takes, waiting, error } = useTakes(production.id, line, lines[at - 1], lines[at + 1])
  const index = takes.findIndex((take) => take.id === chosenTake)
  const current = takes[index] ?? takes.find((take) => take.id === line?.pick?.id) ?? takes[0]
  const { playing } = useWatched(engine.transport.state)
  const span = useMemo(() => (line ? rowSpan(line, takes) : ([0, SAMPLE_RATE] as const)), [line, takes])

  useEffect(() => {
    // Loaded before they are asked for, so that stepping has no dead time.
    for (const take of takes) if (take.state === 'finished') engine.sounds.prepare(take)
  }, [engine, takes])

  const hear = (take: Take | undefined) => {
    if (!take || !line || engine.recorder.isBusy) return
    chooseTake(take.id)
    const heard = asSpan(take.heard)
    if (!heard) return
    const from = Math.max(0, Math.min(heard[0], line.slot?.[0] ?? heard[0]) - RUN_UP)
    const { score } = scoreOf(engine, production, [take], 'none')
    void engine.transport.play(from, {
      to: Math.max(heard[1], line.slot?.[1] ?? 0) + RUN_UP / 2,
      score,
      follow: false,
      onEnd: () => engine.transport.seek(line.slot?.[0] ?? heard[0]),
    })
  }
  const stepTake = (by: number) => {
    const now = current ? takes.indexOf(current) : -1
    hear(chosenTake === null ? current : takes[Math.max(0, Math.min(takes.length - 1, now + by))])
  }
  const say = { onError: sayProblem }
  const pick = (take: Take | undefined) => {
    if (!line || take?.state !== 'finished') return
    chooseTake(take.id)
    edit.mutate({ kind: 'pick', line: line.id, take: line.pick?.id === take.id ? null : take.id }, say)
  }
  useKeys({
    play: () => (playing ? engine.transport.stop() : hear(current)),
    up: () => stepTake(-1),
    down: () => stepTake(1),
    pick: () => pick(current),
    aside: () => current && edit.mutate({ kind: 'set_aside', take: current.id, aside: !current.aside }, say),
    lineUp: () => step(-1),
    lineDown: () => step(1),
  })
  const count = line?.tally.length ?? 0
  const slot = asSpan(line?.slot)
  const shot = slot ? production.picture.shots.findIndex((each) => each[0]! <= slot[0] && slot[0] < each[1]!) : -1
  const place = [
    shot >= 0 && `shot ${shot + 1}`,
    line && `line ${line.number}`,
    slot && `slot ${secondsText(slot[1] - slot[0])} s`,
  ]
  return (
    <div className="takes-room">
      <Page production={production} chosen={line?.id} onChoose={(chosen) => go(chosen)} />
      <section className="takes-side">
        <div className="takes-head">
          <div>
            <p className="quiet">{place.filter(Boolean).join(' · ')}</p>
            <h1 className="takes-line">{line?.text || 'no words yet'}</h1>
            <p className="takes-keys">
              <span className="quiet">{count === 1 ? 'one take' : `${count} takes`}</span>
              <Key action="down" /> <Key action="up">hear next, previous</Key>
              <Key action="pick">pick</Key> <Key action="aside">set aside</Key> <Key action="lineDown">next line</Key>
            </p>
          </div>
          <Stage production={production} className="takes-stage" />
        </div>
        {takes.length ? (
          <ol className="takes-rows">
            {takes.map((take) => (
              <TakeRow
                key={take.id}
                take={take}
                line={line!}
                span={span}
                on={take.id === current?.id}
                onHear={() => hear(take)}
                onPick={() => pick(take)}
              />
            ))}
          </ol>
        ) : waiting || error ? (
          <div className="takes-none" aria-busy={waiting}>
            {error && <p role="alert">The takes of this line can’t be shown: {error.message}</p>}
          </div>
        ) : (
          <div className="takes-none">
            <p>
              {line ? 'This line has not been read yet.' : 'There are no lines yet, so there is nothing to choose from.'}
            </p>
            <Button component={Link} to={line ? '../booth' : '../script'} variant="default">
              {line ? 'Read it in the Booth' : 'Go to Script'}
            </Button>
          </div>
        )}
      </section>
    </div>
  )
}
