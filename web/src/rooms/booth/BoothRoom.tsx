import { Button, Menu, Switch } from '@mantine/core'
import { notifications } from '@mantine/notifications'
import { useEffect, useLayoutEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import type { Line, Patch, Production, Voice } from '../../api/client'
import { useEdits, useSettings, useTakes } from '../../api/production'
import { useEngine, useWatched } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { RoomMenu } from '../../app/RoomMenu'
import { asSpan, bedsWhileRecording, HEARD_WHILE_RECORDING, scoreOf, timecodeAt, useLines, useRoom } from '../../app/room'
import { useSelection } from '../../app/selection'
import { BEATS, type BoothState, LEAD } from '../../engine/recorder'
import { SAMPLE_RATE, secondsText } from '../../engine/time'
import { Stage } from '../../page/Stage'
import { sizedBy, usePageSettings } from '../../page/settings'
import { Tally } from '../../page/Tally'
import { Words } from '../../page/Words'
import { useBehind } from './behind'
import { type Followed, useFollowing } from './following'
import { InputChooser } from './InputChooser'
import { LevelWindow } from './LevelWindow'
import { LoopTest } from './LoopTest'
import { Meter } from './Meter'
import { OwnVoiceItems, useOwnVoice } from './OwnVoice'
import { RoomCheck } from './RoomCheck'
import { useRun } from './run'
import { Safety } from './Safety'
import { SlotWave } from './SlotWave'
import { Sweep } from './Sweep'
import { STATES } from './states'
import { useTelling } from './telling'
import { Verdict } from './Verdict'
import './booth.css'

const FOLLOWS: Record<Followed['how'], string> = {
  words: 'follows the voice',
  pace: 'follows by pace',
  slow: 'follows by pace: this machine is busy',
}

/** Read: the words, the picture, the level, and in no doubt whether it records. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const { recorder, input } = engine
  const state = useWatched(recorder.state)
  const settings = useSettings(production.id)
  const { line, lines, index, go, step } = useLines(production, engine)
  const page = usePageSettings()
  const quiet = ['ready', 'saved', 'failed'].includes(state.kind)

  useEffect(() => {
    if (line) recorder.prepare(line.id)
  }, [recorder, line])
  // News of a line moves nothing: what is about to be heard would be called off.
  const start = line?.slot?.[0]
  // biome-ignore lint/correctness/useExhaustiveDependencies: another line that starts at the same place counts
  useEffect(() => {
    if (start !== undefined && !engine.transport.state.value.playing && quiet) engine.transport.seek(start)
  }, [engine, line?.id, start, quiet])

  /** Only a place is held: the real reading comes later. Said on the button, and forgotten when the Booth is left. */
  const [scratch, setScratch] = useState(false)
  const stoppable = ['recording', 'counting in', 'paused', 'going on'].includes(state.kind)
  const begin = (cue: number | null, runUp: Voice[] = [], until?: number) => {
    if (!line) return
    const beds = bedsWhileRecording(production)
    // With loudspeakers the film is silent, or it would land in the take; the reader follows the picture then.
    const { score } = scoreOf(engine, production, runUp, beds, until)
    const beeps = production.count_in === 'seen' ? 'none' : production.headphones ? 'heard' : 'aloud'
    const count = { beats: page.beats, beat: Math.round(page.beat * SAMPLE_RATE) }
    const guide = beds !== 'none' || !production.picture.clips.length ? 'ear' : 'eye'
    void recorder.record({ id: line.id, slot: asSpan(line.slot) }, { score, guide, cue, beeps, count, scratch })
  }
  const { edit } = useEdits(production.id)
  const { point, setPoint } = useSelection()
  const { from, to } = point
  const between = from !== null && to !== null && to > from
  /** A line of which the take begins as soon as the Booth has come to it. */
  const [coming, setComing] = useState<string | null>(null)
  useEffect(() => {
    if (!coming || line?.id !== coming || !quiet) return
    setComing(null)
    begin(null)
  })
  /** Just there: a line is made for it, and read. */
  const recordThere = () => {
    const onSuccess = ({ lines: changed }: Patch) => {
      const made = changed.find(({ id }) => !lines.some((each) => each.id === id))
      setPoint({ from: null, to: null })
      if (!made) return
      setComing(made.id)
      go(made)
    }
    edit.mutate({ kind: 'new_line', after: null, slot: [from!, to!] }, { onSuccess, onError: sayProblem })
  }
  const toggle = () => {
    if (stoppable) return void recorder.stop()
    if (quiet && between) recordThere()
    else if (quiet) begin(null)
  }
  /** A part of the line again, from where the programme stands; what was read before it is the run-up. */
  const punchIn = () => {
    if (!line || !quiet) return
    const cue = engine.transport.state.value.position
    const slot = asSpan(line.slot)
    const { voice } = line
    // Inside the slot it is a pick-up; behind what was read, the reading goes on (append).
    const last = Math.max(slot?.[1] ?? 0, voice ? voice.span[1]! + 10 * SAMPLE_RATE : 0)
    if (!slot || cue < slot[0] + SAMPLE_RATE / 4 || cue >= last) {
      notifications.show({
        message:
          'Put the playhead inside the slot, or just behind what was read (arrow keys, or the strip). Then punch in there.',
      })
      return
    }
    // The earlier reading ends at the cue; through loudspeakers it ends before the new take's first handle.
    begin(cue, voice ? [voice] : [], production.headphones ? cue : cue - LEAD)
  }
  const hold = () => {
    if (state.kind === 'recording') recorder.pause()
    else if (state.kind === 'paused') void recorder.goOn()
  }
  // In one long pass the words go on from line to line while the take does.
  const [ahead, setAhead] = useState(0)
  const passed = useRef(0)
  const reading = state.kind === 'recording' || state.kind === 'paused'
  useEffect(() => {
    if (state.kind === 'counting in') passed.current = 0
    if (quiet) setAhead(0)
  }, [state.kind, quiet])
  const move = (by: number) => {
    if (reading) {
      const on = Math.max(0, Math.min(lines.length - 1 - index, ahead + by))
      passed.current = Math.max(passed.current, on)
      return setAhead(on)
    }
    if (!quiet) return
    recorder.dismiss()
    step(by)
  }
  useOwnVoice(production.headphones)
  const setHeadphones = (headphones: boolean) => quiet && settings.mutate({ headphones }, { onError: sayProblem })
  const { takes } = useTakes(production.id, line)
  const read =
    state.kind === 'saved' && state.line === line?.id ? takes.find(({ number }) => number === state.take) : undefined
  const marks = useWatched(recorder.marks)
  const { run, start: startRun, end: endRun } = useRun(line, lines[index + 1], read, () => begin(null), go)
  const followed = useFollowing(page.follow)
  const heardLine = run ? undefined : followed?.line
  // Who reads on takes the page along; what was leafed by hand stays until the voice comes to another line.
  const voiceAt = useRef(line?.id)
  useEffect(() => {
    if (!reading || heardLine === undefined) voiceAt.current = line?.id
    else if (heardLine !== voiceAt.current) {
      voiceAt.current = heardLine
      const on = lines.findIndex(({ id }) => id === heardLine) - index
      passed.current = Math.max(passed.current, on)
      setAhead(Math.max(0, on))
    }
  }, [heardLine, reading, line?.id, lines, index])
  useKeys({
    record: toggle,
    run: () => quiet && startRun(),
    pause: hold,
    markHere: () => recorder.mark(),
    punchIn,
    follow: () => page.set({ follow: !page.follow }),
    pointFrom: () => quiet && setPoint({ from: engine.transport.position() }),
    pointTo: () => quiet && setPoint({ to: engine.transport.position() }),
    callOff: () => {
      endRun()
      setPoint({ from: null, to: null })
      if (quiet) recorder.dismiss()
      else void recorder.stop()
    },
    up: () => move(-1),
    down: () => move(1),
    headphones: () => setHeadphones(!production.headphones),
    clip: () => input.clearClip(),
    larger: () => page.set({ size: sizedBy(page.size, 2) }),
    smaller: () => page.set({ size: sizedBy(page.size, -2) }),
  })

  const shown = lines[index + ahead] ?? line
  const next = lines[index + ahead + 1]
  useTelling(production.id, {
    line: shown?.id ?? null,
    state: state.kind,
    take: 'take' in state ? state.take : null,
    word: followed && followed.line === shown?.id ? followed.word : null,
  })
  const words = useWholeNext([shown?.id, shown?.text, shown?.notes, next?.text, page.size].join())
  if (!line || !shown) return <EmptyBooth production={production} />
  const before = lines[index - 1]
  const progress = followed?.line === shown.id ? followed : undefined
  const reader =
    production.readers.length > 1 &&
    production.readers.find((each) => each.id === (shown.reader ?? production.reader))?.name
  return (
    <div className="booth" data-state={state.kind} data-picture={production.picture.clips.length ? 'there' : 'none'}>
      <section className="booth-top">
        <Stage production={production} className="booth-stage">
          <Sweep />
        </Stage>
        <div className="booth-slot">
          {before ? (
            <button type="button" className="booth-before" onClick={() => move(-1)}>
              <small>before this</small>
              {before.text}
            </button>
          ) : (
            <p className="booth-before">
              <small>the first line</small>
            </p>
          )}
          <SlotWave line={line} read={read?.voice ?? null} />
          {read && <Verdict key={read.id} production={production} line={line} take={read} passed={passed.current > 0} />}
          <div className="booth-under">
            <Clock line={line} />
            <Behind production={production} />
            <span className="booth-tally">
              <Tally line={line} />
              {line.tally.length > 0 && <Link to="../takes">compare</Link>}
            </span>
          </div>
        </div>
      </section>
      <section className="booth-words" ref={words}>
        <span className="booth-number">{shown.number}</span>
        <p
          className="booth-line"
          data-testid="booth-line"
          style={{ '--booth-size': `${Math.round(page.size * 2.1)}px` } as React.CSSProperties}
        >
          {shown.text ? <Words line={shown} progress={progress} /> : 'No words yet. Speak freely, or write them in Script.'}
        </p>
        {(shown.notes || reader) && (
          <p className="booth-notes">{[reader && `read by ${reader}`, shown.notes].filter(Boolean).join('\n')}</p>
        )}
        {next && (
          <>
            <span className="booth-number next">{next.number}</span>
            <button type="button" className="booth-next" onClick={() => quiet && go(next)}>
              {next.text || 'no words yet'}
            </button>
          </>
        )}
      </section>
      <section className="booth-bar">
        <State state={state} onDismiss={() => recorder.dismiss()} />
        {quiet && (from !== null || to !== null) && (
          <p className="booth-run" data-testid="point">
            <b>Just there</b> {from !== null && `from ${timecodeAt(production, from)} `}
            {to !== null && `to ${timecodeAt(production, to)} `}
            {between ? (
              <Key action="record">record</Key>
            ) : from === null ? (
              <Key action="pointFrom">begins here</Key>
            ) : (
              <Key action="pointTo">ends here</Key>
            )}{' '}
            <Key action="callOff">leave it</Key>
          </p>
        )}
        {run && (
          <p className="booth-run" data-testid="run">
            <b>Reading run</b>{' '}
            {run.readings > 1
              ? `line ${line.number} again: ${run.faults[0]}`
              : next
                ? 'the next line comes by itself'
                : 'the last line'}
          </p>
        )}
        <Safety />
        <Button
          className="booth-button"
          size="md"
          variant={state.kind === 'counting in' ? 'default' : 'filled'}
          data-recording={state.kind === 'recording'}
          disabled={!quiet && !stoppable}
          onClick={toggle}
          data-testid="record"
        >
          {state.kind === 'counting in' ? 'Call off' : stoppable ? 'Stop' : scratch ? 'Record a scratch' : 'Record'}
        </Button>
        <span className="booth-keys">
          <Key action="record">{quiet ? 'record' : 'stop'}</Key>{' '}
          {quiet ? (
            <>
              <Key action="run">reading run</Key> <Key action="punchIn">from here</Key> <Key action="up" />{' '}
              <Key action="down">line</Key>
            </>
          ) : (
            (state.kind === 'recording' || state.kind === 'paused') && (
              <>
                <Key action="pause">{state.kind === 'paused' ? 'go on' : 'pause'}</Key>{' '}
                {state.kind === 'recording' && (
                  <span data-testid="marks">
                    <Key action="markHere">mark a mistake{marks > 0 && `: ${marks} marked`}</Key>
                  </span>
                )}{' '}
                {next && !run && <Key action="down">read on</Key>}
                {run && <Key action="callOff">end the run</Key>}
              </>
            )
          )}
        </span>
        <span className="booth-choices">
          <InputChooser production={production} />
          <LoopTest busy={!quiet} />
          <RoomCheck production={production} busy={!quiet} />
          <Switch
            size="xs"
            label={production.headphones ? 'headphones' : 'no headphones: all is silent'}
            checked={production.headphones}
            disabled={!quiet}
            onChange={(event) => setHeadphones(event.currentTarget.checked)}
          />
          {production.headphones && (
            <RoomMenu>
              <Menu.Target>
                <Button size="compact-xs" variant="subtle" color="gray">
                  heard: {HEARD_WHILE_RECORDING[production.monitor]}
                </Button>
              </Menu.Target>
              <Menu.Dropdown>
                {Object.entries(HEARD_WHILE_RECORDING).map(([monitor, said]) => (
                  <Menu.Item
                    key={monitor}
                    onClick={() => settings.mutate({ monitor: monitor as Production['monitor'] }, { onError: sayProblem })}
                    fw={monitor === production.monitor ? 700 : 400}
                  >
                    {said}
                  </Menu.Item>
                ))}
                <OwnVoiceItems />
              </Menu.Dropdown>
            </RoomMenu>
          )}
          <Switch
            size="xs"
            label={FOLLOWS[followed?.how ?? 'words']}
            title="the page follows the voice: the word that is being read, and what was passed over"
            checked={page.follow}
            onChange={(event) => page.set({ follow: event.currentTarget.checked })}
          />
          <Switch
            size="xs"
            label="scratch"
            title="holds a place and a slot until the real reading is there; sounds only until then"
            checked={scratch}
            disabled={!quiet}
            onChange={(event) => setScratch(event.currentTarget.checked)}
          />
          <Switch
            size="xs"
            label="beeps"
            title="a beep on each beat before the first frame; through loudspeakers one fewer, so that none is in the take"
            checked={production.count_in === 'heard'}
            disabled={!quiet}
            onChange={(event) =>
              settings.mutate({ count_in: event.currentTarget.checked ? 'heard' : 'seen' }, { onError: sayProblem })
            }
          />
          <RoomMenu closeOnItemClick={false}>
            <Menu.Target>
              <Button size="compact-xs" variant="subtle" color="gray" disabled={!quiet}>
                count-in: {page.beats} × {page.beat} s
              </Button>
            </Menu.Target>
            <Menu.Dropdown>
              <Menu.Label>Beats</Menu.Label>
              {Array.from({ length: BEATS.most - BEATS.least + 1 }, (_, n) => BEATS.least + n).map((beats) => (
                <Menu.Item key={beats} onClick={() => page.set({ beats })} fw={beats === page.beats ? 700 : 400}>
                  {beats}
                </Menu.Item>
              ))}
              <Menu.Label>Each lasts</Menu.Label>
              {BEATS.lengths.map((beat) => (
                <Menu.Item key={beat} onClick={() => page.set({ beat })} fw={beat === page.beat ? 700 : 400}>
                  {beat} s
                </Menu.Item>
              ))}
            </Menu.Dropdown>
          </RoomMenu>
          <LevelWindow production={production} />
          <Button
            component={Link}
            to="../second-screen"
            target="_blank"
            size="compact-xs"
            variant="subtle"
            color="gray"
            title="the words and the state alone, for a screen beside the microphone"
          >
            second screen
          </Button>
        </span>
      </section>
      <Meter production={production} onClear={() => input.clearClip()} />
    </div>
  )
}

/** The next line is whole or not there: it is left out where it would be cut. */
function useWholeNext(shown: string) {
  const box = useRef<HTMLElement>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: whatever is shown may take more room
  useLayoutEffect(() => {
    const place = box.current
    if (!place) return
    const look = () => {
      place.dataset.next = 'whole'
      if (place.scrollHeight > place.clientHeight + 1) place.dataset.next = 'none'
    }
    const seen = new ResizeObserver(look)
    seen.observe(place)
    look()
    return () => seen.disconnect()
  }, [shown])
  return box
}

/** The state in words; its shape and colour are on the edge of the whole screen too. */
function State({ state, onDismiss }: { state: BoothState; onDismiss: () => void }) {
  const { recorder } = useEngine()
  const crowded = useWatched(recorder.crowded)
  const unheard = useWatched(recorder.unheard)
  const more =
    state.kind === 'saved'
      ? `take ${state.take} · ${state.file}`
      : state.kind === 'failed'
        ? state.said
        : 'take' in state && state.take
          ? `take ${state.take}`
          : ''
  return (
    <div className="booth-state" data-state={state.kind} role="status" data-testid="booth-state">
      <span className="booth-state-sign" aria-hidden="true" />
      <span>
        <b>{STATES[state.kind]}</b> <span className="booth-state-more">{more}</span>
        {state.kind === 'saved' && state.said && <span className="booth-state-said">{state.said}</span>}
        {unheard && (
          <span className="booth-unheard" role="alert">
            {unheard === 'dead' ? 'No sound comes from this input.' : 'Nobody is heard. Is this the right microphone?'}
          </span>
        )}
        {crowded && state.kind !== 'ready' && (
          <span className="booth-state-more"> · Another window records too; each keeps takes of its own.</span>
        )}
      </span>
      {state.kind === 'failed' && (
        <Button size="compact-xs" variant="default" onClick={onDismiss}>
          Understood
        </Button>
      )}
    </div>
  )
}

/** How much of the slot is used, while it is read; of a line that is to last so long without one, how much is left. */
function Clock({ line }: { line: Line }) {
  const engine = useEngine()
  const place = useRef<HTMLSpanElement>(null)
  const slot = asSpan(line.slot)
  const start = slot?.[0]
  const length = slot ? slot[1] - slot[0] : 0
  const wanted = slot ? null : line.wanted_length
  useEffect(() => {
    const draw = (position: number) => {
      if (!place.current) return // leaving the room
      const { value } = engine.recorder.state
      const used = value.kind === 'recording' ? Math.max(0, position - value.cue) : 0
      const text = clockText(used, value.kind === 'recording', start === undefined ? null : length, wanted)
      if (place.current.textContent !== text) place.current.textContent = text
      place.current.dataset.over = String(wanted !== null && used > wanted)
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine, start, length, wanted])
  return <span ref={place} className="booth-clock" data-counts={wanted !== null} data-testid="booth-clock" />
}

/** How far an interpreter is behind the original, while it is read. */
function Behind({ production }: { production: Production }) {
  const behind = useBehind(production.picture.laid.some((sound) => sound.original))
  return behind === null ? null : (
    <span className="booth-behind" data-testid="behind">
      {secondsText(behind)} s behind the original
    </span>
  )
}

function clockText(used: number, reading: boolean, slot: number | null, wanted: number | null): string {
  if (wanted !== null) {
    const of = `${secondsText(wanted)} s`
    if (!reading) return `to last ${of}`
    return used > wanted ? `${secondsText(used - wanted)} s over ${of}` : `${secondsText(wanted - used)} s left of ${of}`
  }
  if (slot === null) return reading ? `${secondsText(used)} s, no slot` : 'no slot'
  return reading ? `${secondsText(used)} of ${secondsText(slot)} s` : `slot ${secondsText(slot)} s`
}

function EmptyBooth({ production }: { production: Production }) {
  const { edit } = useEdits(production.id)
  return (
    <div className="said">
      <h2>No lines to read yet</h2>
      <p className="quiet">
        Type or paste the words first; {production.picture.clips.length ? 'they' : 'each paragraph'} will stand here large.
      </p>
      <Button component={Link} to="../script">
        Go to Script
      </Button>
      <Button
        variant="default"
        onClick={() => edit.mutate({ kind: 'new_line', after: null }, { onError: sayProblem })}
        data-testid="speak-freely"
      >
        Speak freely
      </Button>
      <p className="quiet">A comment without words: afterwards each stretch that you spoke becomes a line.</p>
    </div>
  )
}
