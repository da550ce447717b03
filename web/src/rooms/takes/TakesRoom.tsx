import { Button } from '@mantine/core'
import { useEffect, useMemo, useState } from 'react'
import { Link } from 'react-router'
import type { Line, Patch, Production, Take } from '../../api/client'
import { type ChosenWords, madeBy, useMaking } from '../../api/making'
import { useEdits, useTakes } from '../../api/production'
import { Cutting, useCutting } from '../../app/Cutting'
import { useEngine, useWatched } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { asSpan, timecodeAt, useLines, useRoom } from '../../app/room'
import { useSelection } from '../../app/selection'
import { useSyncPoint } from '../../app/syncPoint'
import { SAMPLE_RATE, secondsText } from '../../engine/time'
import { Page } from '../../page/Page'
import { Stage } from '../../page/Stage'
import { usePageSettings } from '../../page/settings'
import { Elsewhere } from './Elsewhere'
import { FindTakes } from './FindTakes'
import { Fit } from './Fit'
import { spanOfWords, useHearing } from './hearing'
import { LinesCompared } from './LinesCompared'
import { wordAt, wordsText } from './making'
import { type End, rowSpan, TakeRow } from './TakeRow'
import { TooLong } from './TooLong'
import { useFilmWave } from './useFilmWave'
import './takes.css'

/** In the order in which the key goes through them. */
const MARKS: readonly Take['mark'][] = ['', 'keep', 'maybe', 'no', 'scratch']

/** Choose: the takes of a line one above another, each heard against the picture with one key. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const { line, lines, index: at, go, step } = useLines(production, engine)
  const { take: chosenTake, chooseTake } = useSelection()
  const { allKeys, set } = usePageSettings()
  const { edit } = useEdits(production.id)
  const { takes, waiting, error } = useTakes(production.id, line, lines[at - 1], lines[at + 1])
  const index = takes.findIndex((take) => take.id === chosenTake)
  const current = takes[index] ?? takes.find((take) => take.id === line?.pick) ?? takes[0]
  const { playing } = useWatched(engine.transport.state)
  const setHolds = useSelection((now) => now.setHolds)
  useEffect(() => {
    setHolds('voices')
    return () => setHolds(null)
  }, [setHolds])
  const span = useMemo(() => (line ? rowSpan(line, takes) : ([0, SAMPLE_RATE] as const)), [line, takes])

  const old = useFilmWave(production, span, Boolean(line?.silences))
  useEffect(() => {
    // Loaded before they are asked for, so that stepping has no dead time.
    for (const { voice } of takes) if (voice) engine.sounds.prepare(voice)
  }, [engine, takes])

  const { hear, before, withFilm, setWithFilm, looping, setLooping } = useHearing(production, line, current)
  const [unfolded, setUnfolded] = useState<string | null>(null)
  const settled = Boolean(line?.settled)
  const folded = settled && unfolded !== line?.id
  const shown = folded ? takes.filter(({ id }) => id === line?.pick) : takes
  const stepTake = (by: number) => {
    const now = current ? shown.indexOf(current) : -1
    hear(chosenTake === null ? current : shown[Math.max(0, Math.min(shown.length - 1, now + by))])
  }
  const [chosenWords, setWords] = useState<ChosenWords | null>(null)
  const [fitting, setFitting] = useState(false)
  const [finding, setFinding] = useState(false)
  const [comparing, setComparing] = useState(false)
  const making = useMaking(production.id, line, takes, (made) => hear(made))
  const words = takes.some(({ id }) => id === chosenWords?.take) ? chosenWords : null
  /** What the chosen words would be put into: what sounds now, or, where they are its own, what was heard before. */
  const [onto] = [line?.voice?.id, before, line?.pick].flatMap(
    (id) => takes.find((take) => id !== words?.take && take.id === id && take.read?.words.length) ?? [],
  )
  const chooseEnd = (end: 'first' | 'last') => {
    const word = current && wordAt(current, engine.transport.position())
    if (word === undefined) return
    const { first, last } = words?.take === current!.id ? words : { first: word, last: word }
    const range =
      end === 'first' ? { first: word, last: Math.max(word, last) } : { first: Math.min(first, word), last: word }
    setWords({ take: current!.id, ...range })
  }
  const goesOn = current?.kind === 'take' && line?.voice && line.voice.id !== current.id
  const chosenSpan = current && words?.take === current.id ? spanOfWords(current, words.first, words.last) : null
  /** Again and again: the chosen words, else the take. */
  const loop = () => {
    setLooping(!looping)
    if (!looping) hear(current, undefined, chosenSpan)
  }
  const putWords = async () => {
    if (words && onto && (await making.weave(words, onto.id))) setWords(null)
  }
  const { job: cutting, cut } = useCutting(production.id, current?.id)
  const suggested = takes.find((take) => take.suggested?.length)
  /** The take that was heard before, from the word that is said now. */
  const against = () => {
    const other = takes.find((take) => take.id === before) ?? takes.find((take) => take !== current)
    if (!other) return
    const at = engine.transport.position()
    const said = (take: Take | undefined) => take?.read?.words.filter(({ mark, span }) => span && mark === 'read') ?? []
    const word = playing ? said(current).findLast(({ span }) => span![0]! <= at) : undefined
    hear(other, said(other).find(({ ordinal }) => ordinal === word?.ordinal)?.span?.[0])
  }
  const say = { onError: sayProblem }
  const pick = (take: Take | undefined) => {
    if (!line || take?.state !== 'finished') return
    chooseTake(take.id)
    edit.mutate({ kind: 'pick', line: line.id, voice: line.pick === take.id ? null : take.id }, say)
  }
  const markTake = (take: Take | undefined) => {
    if (take?.kind !== 'take' || take.state !== 'finished') return
    const mark = MARKS[(MARKS.indexOf(take.mark) + 1) % MARKS.length]
    edit.mutate({ kind: 'note_take', take: take.id, mark }, say)
  }
  const [noting, setNoting] = useState<string | null>(null)
  const noted = (take: Take, note: string) => {
    setNoting(null)
    if (note !== take.note) edit.mutate({ kind: 'note_take', take: take.id, note }, say)
  }
  const settle = (which: readonly Line[], settled: boolean) =>
    which.length && edit.mutate({ kind: 'settle', only: which.map((each) => each.id), settled }, say)
  const toSettle = production.lines.filter((each) => each.pick && !each.settled)
  const nudge = (by: number) => current?.voice && edit.mutate({ kind: 'move_voice', voice: current.id, by }, say)
  const putFirstWord = (timecode?: string) =>
    current?.voice && edit.mutate({ kind: 'place_voice', voice: current.id, timecode: timecode ?? null }, say)
  /** The chosen word, else the first, goes to a place in the picture; null: to the nearest sync point. */
  const putWord = (to: number | null) => {
    const said = chosenSpan ?? current?.voice?.speech
    if (said && current?.voice) edit.mutate({ kind: 'put_word', voice: current.id, said: said[0]!, to }, say)
  }
  const toggleSyncPoint = useSyncPoint(production)
  const frame = Math.round((SAMPLE_RATE * production.fps[1]!) / production.fps[0]!)
  const seam = (by: number) => {
    if (current?.kind !== 'comp' || !current.voice || !current.seams.length) return
    const to = current.seams[0]! - current.voice.span[0]! + by
    edit.mutate({ kind: 'move_seam', comp: current.id, seam: 0, to }, say)
  }
  /** Of a take a comp is made, which is chosen then. */
  const moveEnd = (take: Take | undefined, end: End, at: number) => {
    if (!take?.voice) return
    const onSuccess = (patch: Patch) => {
      const made = madeBy(patch, takes)
      if (made) chooseTake(made.id)
    }
    edit.mutate({ kind: 'move_end', voice: take.id, end, at: Math.round(at) }, { ...say, onSuccess })
  }
  /** The chosen take goes on from what sounds for the line now. */
  const join = () => {
    if (!line?.voice || current?.kind !== 'take' || current.id === line.voice.id) return
    void making.join(current.id, line.voice.id)
  }
  const film = production.picture.clips.some(({ kind, bed }) => kind === 'film' && bed !== 'muted')
  const canFit = Boolean(current?.voice?.speech && (takes.length > 1 || (film && line?.slot)))
  const silent = (on: boolean) => line && edit.mutate({ kind: 'set_silences', line: line.id, silences: on }, say)
  const open = production.lines.filter((each) => each.voice?.provisional)
  const here = open.filter((each) => each.voice!.folder === line?.voice?.folder)
  const pickOpen = (which: Line[]) =>
    which.length && edit.mutate({ kind: 'pick_provisional', only: which.map((each) => each.id) }, say)
  useKeys({
    play: () => (playing ? engine.transport.stop() : hear(current, undefined, looping ? chosenSpan : null)),
    loop,
    up: () => stepTake(-1),
    down: () => stepTake(1),
    ...(fitting ? {} : { pick: () => pick(current) }),
    aside: () => current && edit.mutate({ kind: 'set_aside', take: current.id, aside: !current.aside }, say),
    lineUp: () => step(-1),
    lineDown: () => step(1),
    nudgeBack: () => nudge(-frame),
    nudgeOn: () => nudge(frame),
    finerBack: () => nudge(-SAMPLE_RATE / 100),
    finerOn: () => nudge(SAMPLE_RATE / 100),
    snap: () => putFirstWord(),
    wordHere: () => putWord(Math.round(engine.transport.position())),
    wordToPoint: () => putWord(null),
    syncPoint: toggleSyncPoint,
    seamBack: () => seam(-SAMPLE_RATE / 100),
    seamOn: () => seam(SAMPLE_RATE / 100),
    takeBegins: () => moveEnd(current, 'first', engine.transport.position()),
    takeEnds: () => moveEnd(current, 'last', engine.transport.position()),
    joinTakes: join,
    fitTake: () => setFitting((on) => !on && canFit),
    filmSilent: () => line?.slot && film && silent(!line.silences),
    wordsFrom: () => chooseEnd('first'),
    wordsTo: () => chooseEnd('last'),
    putWords: () => void putWords(),
    findTakes: () => setFinding(true),
    compareLines: () => setComparing((on) => !on),
    leave: () => (fitting ? setFitting(false) : comparing ? setComparing(false) : setWords(null)),
    against,
    markTake: () => markTake(current),
    noteTake: () => current?.kind === 'take' && setNoting(current.id),
    cutPass: () => current?.kind === 'take' && cut(),
    hearSuggested: () => hear(suggested),
    withFilm: () => setWithFilm((on) => !on),
    pickOpen: () => pickOpen(open),
    ...(line?.pick ? { settle: () => settle([line], !settled) } : {}),
    ...(settled ? { otherTakes: () => setUnfolded(folded ? line!.id : null) } : {}),
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
      {finding ? (
        <FindTakes
          production={production}
          onGo={(at, take) => {
            go(lines.find((each) => each.id === at))
            chooseTake(take)
          }}
          onClose={() => setFinding(false)}
        />
      ) : (
        <Page production={production} chosen={line?.id} onChoose={(chosen) => go(chosen)} />
      )}
      <section className="takes-side">
        <div className="takes-head">
          <div>
            <p className="quiet">{place.filter(Boolean).join(' · ')}</p>
            <h1 className="takes-line">{line?.text || 'no words yet'}</h1>
            <p className="takes-keys">
              <span className="quiet">{count === 1 ? 'one take' : `${count} takes`}</span>
              {takes.length > 0 && (
                <>
                  <Key action="down" /> <Key action="up">hear next, previous</Key>
                  <Key action="pick">pick</Key> <Key action="aside">set aside</Key>
                  {line?.pick && <Key action="settle">{settled ? 'open again' : 'settle'}</Key>}
                </>
              )}
              <Key action="findTakes">find</Key>
              <Key action="compareLines">compare lines</Key>
              {takes.length > 1 && <Key action="against">the other, same word</Key>}
              {current?.kind === 'take' && isPass(current, line) && (
                <Key action="cutPass">{line?.text ? 'cut into its lines' : 'make lines of what is said'}</Key>
              )}
              {cutting && <Cutting production={production.id} job={cutting} />}
              {suggested && suggested.id !== current?.id && <Key action="hearSuggested">the one to try first</Key>}
              {takes.length > 0 && (
                <span data-testid="loop" data-on={looping}>
                  <Key action="loop">{looping ? 'again and again, until Space' : 'again and again'}</Key>
                </span>
              )}
              {takes.length > 0 && <Key action="withFilm">{withFilm ? 'with the film’s sound' : 'alone'}</Key>}
            </p>
          </div>
          <Stage production={production} className="takes-stage" />
          <div className="takes-under">
            {line && (
              <div className="takes-keys">
                {current?.voice && (
                  <>
                    <FirstWord key={current.id} production={production} take={current} onPlace={putFirstWord} />
                    <Key action="nudgeBack" /> <Key action="nudgeOn">a frame</Key>
                    {canFit && <Key action="fitTake">fit to …</Key>}
                    {current.seams.length > 0 && (
                      <>
                        <Key action="seamBack" /> <Key action="seamOn">seam</Key>
                      </>
                    )}
                    {goesOn && <Key action="joinTakes">goes on from {line.voice!.name}</Key>}
                  </>
                )}
                <Elsewhere key={line.id} production={production} line={line} take={current} />
                {current?.voice && allKeys && (
                  <>
                    <span className="takes-pair">
                      <Key action="finerBack" /> <Key action="finerOn">10 ms</Key>
                    </span>
                    <Key action="snap">to the slot</Key>
                    <Key action="wordHere">{chosenSpan ? 'chosen word here' : 'first word here'}</Key>
                    <Key action="syncPoint">sync point here</Key>
                    {production.sync_points.length > 0 && <Key action="wordToPoint">to the nearest one</Key>}
                    <span className="takes-pair">
                      <Key action="takeBegins" /> <Key action="takeEnds">begins, ends here</Key>
                    </span>
                  </>
                )}
                {current?.voice && (
                  <button
                    type="button"
                    className="link-button"
                    aria-expanded={allKeys}
                    onClick={() => set({ allKeys: !allKeys })}
                  >
                    {allKeys ? 'fewer keys' : 'more keys'}
                  </button>
                )}
              </div>
            )}
            {words && (
              <p className="takes-open" data-testid="chosen-words">
                “
                {wordsText(
                  takes.find(({ id }) => id === words.take),
                  words,
                )}
                ” of {takes.find(({ id }) => id === words.take)!.name}{' '}
                {onto ? (
                  <>
                    <button type="button" onClick={() => void putWords()} disabled={making.busy}>
                      into {onto.name}
                    </button>
                    <Key action="putWords" />
                  </>
                ) : (
                  <span className="quiet">There is no other reading to put them into.</span>
                )}{' '}
                <button type="button" onClick={() => setWords(null)}>
                  let them go
                </button>
              </p>
            )}
            {line && current?.too_long && (
              <TooLong
                key={`${line.id}${current.id}`}
                production={production}
                line={line}
                take={current}
                busy={making.busy}
                onShorten={(wanted) => void making.setLength(current.id, wanted)}
                onEdit={(wanted) => edit.mutateAsync(wanted).catch(sayProblem)}
              />
            )}
            {line?.silences && film && (
              <p className="takes-open" data-testid="film-silent">
                The film’s own sound is silent under this line.{' '}
                <button type="button" onClick={() => silent(false)}>
                  Let it be heard
                </button>
              </p>
            )}
            {line && settled && (
              <p className="takes-open" data-testid="settled">
                Settled: this pick is final.{' '}
                {takes.length > 1 && (
                  <>
                    <button type="button" onClick={() => setUnfolded(folded ? line.id : null)}>
                      {folded ? `Show ${takes.length - 1} more` : 'Fold the others away'}
                    </button>
                    <Key action="otherTakes" />{' '}
                  </>
                )}
                <button type="button" onClick={() => settle([line], false)}>
                  Open it again
                </button>
              </p>
            )}
            {open.length === 0 && toSettle.length > 1 && (
              <p className="takes-open" data-testid="to-settle">
                Every line that was read has a pick.{' '}
                <button type="button" onClick={() => settle(toSettle, true)}>
                  Settle {toSettle.length === production.lines.length ? 'all' : `${toSettle.length} lines`}
                </button>
              </p>
            )}
            {open.length > 0 && (
              <p className="takes-open" data-testid="provisional">
                {open.length === 1 ? 'One line sounds' : `${open.length} lines sound`} with the take to try first.{' '}
                <button type="button" onClick={() => pickOpen(open)}>
                  Pick {open.length === 1 ? 'it' : 'all'}
                </button>
                {here.length > 0 && here.length < open.length && (
                  <button type="button" onClick={() => pickOpen(here)}>
                    Pick {here.length} in {line!.voice!.folder}
                  </button>
                )}
              </p>
            )}
          </div>
        </div>
        {comparing && <LinesCompared production={production} line={line} onGo={go} />}
        {fitting && canFit && line && current && (
          <Fit
            key={current.id}
            line={line}
            take={current}
            takes={takes}
            film={film}
            busy={making.busy}
            onFit={async (wish) => (await making.fit(wish)) && setFitting(false)}
            onClose={() => setFitting(false)}
          />
        )}
        {takes.length ? (
          <ol className="takes-rows">
            {shown.map((take) => (
              <TakeRow
                key={take.id}
                take={take}
                line={line!}
                span={span}
                old={line?.silences ? old : undefined}
                on={take.id === current?.id}
                onHear={(from) => hear(take, from)}
                onPick={() => pick(take)}
                words={words?.take === take.id ? words : null}
                onWords={(first, last) => setWords({ take: take.id, first, last })}
                noting={noting === take.id}
                onMark={() => markTake(take)}
                onNote={(note) => (note === null ? setNoting(take.id) : noted(take, note))}
                onApart={() => edit.mutate({ kind: 'take_apart', comp: take.id }, say)}
                onSeam={(which, to) => edit.mutate({ kind: 'move_seam', comp: take.id, seam: which, to }, say)}
                onEnd={(end, at) => moveEnd(take, end, at)}
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

/** Whether a take is so much longer than its line that others were read in it too. */
function isPass({ length, read }: Take, line: Line | undefined): boolean {
  return Boolean(line) && (!line!.text || length > 2 * line!.needed + 3 * SAMPLE_RATE || Boolean(read?.put_in.length))
}

/** Where the first word lies; another timecode can be typed. */
function FirstWord({ production, take, onPlace }: { production: Production; take: Take; onPlace: (to: string) => void }) {
  const at = timecodeAt(production, take.voice!.speech?.[0] ?? take.voice!.span[0]!)
  const [typed, setTyped] = useState<string | null>(null)
  const done = () => {
    if (typed?.trim() && typed !== at) onPlace(typed.trim())
    setTyped(null)
  }
  return (
    <label className="takes-place">
      <span className="quiet">first word at</span>
      <input
        className="tc"
        size={11}
        value={typed ?? at}
        aria-label="timecode of the first word"
        onChange={(event) => setTyped(event.currentTarget.value)}
        onBlur={done}
        onKeyDown={(event) => {
          if (event.key === 'Escape') setTyped(null)
          if (event.key === 'Enter' || event.key === 'Escape') event.currentTarget.blur()
        }}
      />
    </label>
  )
}
