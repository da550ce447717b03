import { ActionIcon, Tooltip } from '@mantine/core'
import { notifications } from '@mantine/notifications'
import { IconArrowBackUp, IconArrowForwardUp, IconKeyboard } from '@tabler/icons-react'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useMemo, useRef, useState } from 'react'
import { Link, Outlet, useBlocker, useLocation, useNavigate, useParams } from 'react-router'
import { answered, client, isAway, type Patch, type Production } from '../api/client'
import { knownProduction, useEdits, useNow, useOthers, useProduction } from '../api/production'
import { type Part, partsOf, sizeOf } from '../engine/reel'
import { firstSample, frameAt, SAMPLE_RATE, secondsText, timecode } from '../engine/time'
import { Spine } from '../spine/Spine'
import { Strip } from '../strip/Strip'
import { EngineProvider, useEngine, useWatched } from './engine'
import { KeysOverview } from './KeysOverview'
import { letGo, useKeys } from './keys'
import { Landing } from './Landing'
import { Failed, Loading, sayNote, sayProblem } from './messages'
import { pedalsAsBefore } from './pedals'
import { duckingOf, rateOf, scoreOf, useLines, voicesOf } from './room'
import { Scheme } from './Scheme'
import { useSelection } from './selection'

/** A production: its spine, its top line, the room, and the strip. */
export function Component() {
  const { id = '' } = useParams()
  const { data, error, refetch } = useProduction(id)
  useOthers(id)
  // What is known stays in sight when it can't be read anew: a take may be going on.
  if (!data && error) return <Failed said={error.message} onRetry={() => void refetch()} />
  if (!data) return <Loading />
  return (
    <EngineProvider production={id}>
      <Inside production={data} stale={error} />
    </EngineProvider>
  )
}

function Inside({ production, stale }: { production: Production; stale: Error | null }) {
  const engine = useEngine()
  const navigate = useNavigate()
  const room = useLocation().pathname.split('/')[3] ?? 'booth'
  const { picture } = production
  const rate = rateOf(production)
  const { undo, redo } = useEdits(production.id)
  const { step } = useLines(production, engine)
  const [keys, setKeys] = useState(false)
  const queries = useQueryClient()
  const { line: chosen, choose, setPoint } = useSelection()
  useEffect(pedalsAsBefore, [])
  // biome-ignore lint/correctness/useExhaustiveDependencies: places of one production mean nothing in another
  useEffect(() => setPoint({ from: null, to: null }), [production.id, setPoint])
  useEffect(() => {
    // Something is always chosen: the first line that is left to do in this room, or the first of all.
    // A line just made is known before it is drawn.
    const known = knownProduction(queries, production.id) ?? production
    const now = useSelection.getState().line ?? chosen
    if (known.lines.some((line) => line.id === now)) return
    const { lines } = production
    const read = lines.filter((line) => line.tally.length)
    const left =
      room === 'takes'
        ? (read.find((line) => !line.pick) ?? read[0])
        : room === 'polish'
          ? lines.find((line) => line.voice)
          : lines.find((line) => line.text && !line.tally.length)
    const first = left ?? lines[0]
    choose(first?.id ?? null)
    // The picture shows what the chosen line is about, unless the visit is to the picture itself.
    const { playing, position } = engine.transport.state.value
    if (room !== 'picture' && first?.slot && !playing && !position) engine.transport.seek(first.slot[0]!)
  }, [production, room, chosen, choose, queries, engine])

  const { above, below, drop } = rate
  // Drawn anew only when something of it has changed, not with every answer of the server.
  const { clips, sources } = picture
  const drawn = useMemo(() => JSON.stringify([partsOf(clips, sources), sizeOf(sources)]), [clips, sources])
  useEffect(() => {
    const [parts, size] = JSON.parse(drawn) as [Part[], [number, number]]
    engine.picture.open(parts, { above, below, drop }, size)
  }, [engine, drawn, above, below, drop])
  useEffect(() => engine.transport.duck(duckingOf(production)), [engine, production])
  useEffect(() => {
    document.title = `${production.name} · Fendo`
  }, [production.name])

  const { transport, recorder } = engine
  useEffect(() => {
    transport.onMissing = (why) =>
      notifications.show({ id: 'missing', message: `A sound is missing here: ${why}. All else plays on.` })
  }, [transport])
  const free = () => !recorder.isBusy
  // A take that goes on is not left out of sight; one that is still on its way is not left with its production.
  const blocker = useBlocker(({ nextLocation }) => {
    const { kind } = recorder.state.value
    return recorder.isBusy && (kind !== 'saving' || !nextLocation.pathname.startsWith(`/productions/${production.id}/`))
  })
  useEffect(() => {
    if (blocker.state !== 'blocked') return
    const saving = recorder.state.value.kind === 'saving'
    const message = saving ? 'The take is still being saved. Leave when it says Saved.' : 'A take goes on. Stop it first.'
    notifications.show({ id: 'take goes on', message })
    blocker.reset()
  }, [blocker, recorder])
  const play = () => {
    if (!free()) return
    if (transport.state.value.playing) return transport.stop()
    const voices = voicesOf(production)
    const { score, ducks, ducking } = scoreOf(engine, production, voices)
    const sounds = () => Math.max(0, ...voices.map((voice) => voice.span[1]!))
    const end = picture.clips.length ? picture.length : Math.max(picture.length, sounds())
    const from = transport.state.value.position
    void transport.play(from >= end - SAMPLE_RATE / 10 ? 0 : from, { to: end, score, ducks, ducking })
  }
  const move = (frames: number) => {
    if (!free()) return
    const at = frameAt(transport.position(), rate)
    transport.seek(Math.max(0, firstSample(at + frames, rate)))
  }
  const took = (word: string) => (patch: Patch) =>
    notifications.show({
      message: patch.label ? `${word}: ${patch.label}` : `Nothing to ${word === 'Undone' ? 'undo' : 'redo'}`,
    })
  // Not in the middle of a take: the line that is read might go.
  const takeBack = () => free() && undo.mutate(undefined, { onSuccess: took('Undone'), onError: sayProblem })
  const doAgain = () => free() && redo.mutate(undefined, { onSuccess: took('Done again'), onError: sayProblem })
  const second = Math.round(rate.above / rate.below)
  useKeys({
    play,
    frameBack: () => move(-1),
    frameOn: () => move(1),
    secondBack: () => move(-second),
    secondOn: () => move(second),
    lineUp: () => free() && step(-1),
    lineDown: () => free() && step(1),
    undo: takeBack,
    redo: doAgain,
    keys: () => setKeys(true),
  })

  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents: only clicks are meant
    // biome-ignore lint/a11y/noStaticElementInteractions: clicks of the buttons inside come by here
    <div className="shell" onClick={letGo}>
      <Spine production={production} go={(to) => free() && navigate(`/productions/${production.id}/${to}`)} />
      <BoothEdge />
      <header className="top">
        <Link to="/" className="top-name" title="all productions">
          {production.name}
        </Link>
        <Landing production={production} />
        <span className="top-right">
          <Connection stale={stale} />
          <Notice production={production.id} />
          <Tooltip label={production.undo ? `take back: ${production.undo}` : 'nothing to take back'}>
            <ActionIcon variant="subtle" color="gray" aria-label="undo" disabled={!production.undo} onClick={takeBack}>
              <IconArrowBackUp size={18} />
            </ActionIcon>
          </Tooltip>
          <Tooltip label={production.redo ? `do again: ${production.redo}` : 'nothing to do again'}>
            <ActionIcon variant="subtle" color="gray" aria-label="redo" disabled={!production.redo} onClick={doAgain}>
              <IconArrowForwardUp size={18} />
            </ActionIcon>
          </Tooltip>
          <Scheme />
          <Tooltip label="all keys (?)">
            <ActionIcon variant="subtle" color="gray" aria-label="all keys" onClick={() => setKeys(true)}>
              <IconKeyboard size={18} />
            </ActionIcon>
          </Tooltip>
          <Timecode production={production} />
        </span>
      </header>
      <main className={`room room-${room}`}>
        <Outlet context={{ production }} />
      </main>
      <Strip production={production} />
      <KeysOverview opened={keys} onClose={() => setKeys(false)} />
    </div>
  )
}

/** The state of the Booth at the edge of vision, in every room. */
function BoothEdge() {
  const { kind } = useWatched(useEngine().recorder.state)
  return <div className="booth-edge" data-state={kind.replace(' ', '-')} aria-hidden="true" />
}

/** What has not reached the server yet, without alarm; nothing while all is saved. */
function Connection({ stale }: { stale: Error | null }) {
  const { bytes, online, reached, said, takes } = useWatched(useEngine().outbox.waiting)
  if (online && (!said || !takes)) {
    if (!stale) return null
    return (
      <Tooltip label={stale.message} multiline w={320}>
        <span className="connection" role="status">
          {isAway(stale) ? 'server not reached' : 'not up to date'} · you see what was there before
        </span>
      </Tooltip>
    )
  }
  const how = online ? 'sending' : reached ? 'the server can’t store it' : 'server not reached'
  const few = online && bytes < 3 * SAMPLE_RATE
  return (
    <Tooltip label={said} multiline w={320}>
      <span className="connection" role="status">
        {few ? 'about storing: see the Booth' : `${how} · ${secondsText(bytes / 3)} s kept here`}
      </span>
    </Tooltip>
  )
}

/** A limit that the owner of the machine has set is near. */
function Notice({ production }: { production: string }) {
  const notice = useNow(production).data?.notice
  if (!notice) return null
  return (
    <button type="button" className="connection" onClick={() => sayNote(notice)} data-testid="notice">
      a limit is near
    </button>
  )
}

/** Where in the programme we are; written straight into the page, sixty times a second. */
function Timecode({ production }: { production: Production }) {
  const engine = useEngine()
  const place = useRef<HTMLSpanElement>(null)
  const rate = rateOf(production)
  const { above, below, drop } = rate
  useEffect(() => {
    const own = { above, below, drop }
    const draw = (position: number) => {
      const text = timecode(production.start_frame + frameAt(position, own), own)
      if (place.current && place.current.textContent !== text) place.current.textContent = text
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine, production.start_frame, above, below, drop])
  const [typing, setTyping] = useState(false)
  useKeys({ jump: () => setTyping(true) })
  const jump = async (typed: string) => {
    setTyping(false)
    if (!typed.trim() || engine.recorder.isBusy) return
    try {
      const path = { production_id: production.id }
      const body = { typed, now: Math.max(0, engine.transport.position()) }
      const found = await answered(
        client.POST('/api/productions/{production_id}/typed-position/', { params: { path }, body }),
      )
      engine.transport.seek(found.position)
    } catch (error) {
      sayProblem(error)
    }
  }
  return (
    <>
      <button
        type="button"
        className="tc top-tc"
        hidden={typing}
        onClick={() => setTyping(true)}
        title="jump to a place that you type"
      >
        <span ref={place} data-testid="timecode" role="timer" aria-label="timecode" />
      </button>
      {typing && (
        <input
          className="tc top-tc"
          aria-label="jump to"
          placeholder="1:30 +10 −2:00"
          size={11}
          // biome-ignore lint/a11y/noAutofocus: somebody asked for it just now
          autoFocus
          onBlur={() => setTyping(false)}
          onKeyDown={(event) => {
            if (event.key === 'Escape') setTyping(false)
            if (event.key === 'Enter') void jump(event.currentTarget.value)
          }}
        />
      )}
    </>
  )
}
