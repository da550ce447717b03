import { Button, SegmentedControl } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import { Link } from 'react-router'
import type { Place, Polish, Production } from '../../api/client'
import { isGoing, refreshPolish, useEdits, useJobsOf, usePolish, useScan } from '../../api/production'
import { useEngine, useWatched } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { scoreOf, timecodeAt, useLines, useRoom } from '../../app/room'
import { useSelection } from '../../app/selection'
import { SAMPLE_RATE } from '../../engine/time'
import { ByHand } from './ByHand'
import { JobGoing } from './JobGoing'
import { Length } from './Length'
import { Levels } from './Levels'
import { PlaceView } from './PlaceView'
import { ProgrammePlot } from './ProgrammePlot'
import { SettledList } from './SettledList'
import { Treatment } from './Treatment'
import './polish.css'

const AROUND = SAMPLE_RATE / 2
const FIVE_MS = SAMPLE_RATE / 200
const SCAN = 'scan the voices'
const TREAT = 'treat the voices'

/** A proposal as somebody has changed it before saying yes. */
export type Asked = { first: number; last: number; decibel: number; keep: number }

export function askedOf(place: Place): Asked {
  return { first: place.source[0]!, last: place.source[1]!, decibel: place.decibel, keep: place.keep }
}

/** Whether a place is made louder or quieter, by as much as somebody likes. */
export function isLevel({ kind }: Place): boolean {
  return lifts(kind) || kind === 'breath' || kind === 'noise'
}

/** Whether what is made quieter may be made louder, too. */
function lifts(kind: Place['kind']): boolean {
  return kind === 'gain' || kind === 'level' || kind === 'seam'
}

/** Whether a place is of the whole line, or of a whole part of it: there are no edges to move. */
export function isWhole({ kind }: Pick<Place, 'kind'>): boolean {
  return kind === 'level' || kind === 'hum' || kind === 'dull' || kind === 'seam'
}

/** Whether a stretch is taken out: what follows moves up, or stays. */
export function isCut({ kind }: Place): boolean {
  return kind === 'gap' || kind === 'false start' || kind === 'put in'
}

/** The address of a place with half a second around it: as it was read, or mended. */
export function stretchOf(place: Place, asked: Asked, mended: boolean): string {
  const { first, last, decibel, keep } = asked
  if (place.kind === 'seam') {
    const [start, end] = place.span
    const query = `first=${start}&last=${end}&recording=${place.recording}&source_first=${first}&source_last=${last}`
    return `/api/lines/${place.line}/seam/?${query}&decibel=${mended ? decibel : 0}`
  }
  const kind = encodeURIComponent(place.kind)
  const mains = place.mains ? `&mains=${place.mains}` : ''
  const mend = mended && place.mends ? `&mend=${kind}&decibel=${decibel}&keep=${keep}${mains}` : ''
  return `/api/recordings/${place.recording}/stretch/?first=${first}&last=${last}${mend}`
}

/** What is heard and drawn of a place, programme samples: half a second beside it; of a seam, what lies around it. */
export function aroundOf(place: Place, asked: Asked): { start: number; end: number; marked: [number, number] } {
  const [from, to] = place.span as [number, number]
  if (place.kind === 'seam') return { start: from, end: to, marked: [place.at - FIVE_MS, place.at + FIVE_MS] }
  // Its edges may have been moved, and a recording may begin within what lies beside it.
  const first = from + asked.first - place.source[0]!
  const last = first + asked.last - asked.first
  return { start: first - Math.min(AROUND, asked.first), end: last + AROUND, marked: [first, last] }
}

/** Mend and treat: the next suspicious place, one key apart; how lines are treated; how loud they are. */
export function Component() {
  const { production } = useRoom()
  const { data, error } = usePolish(production)
  if (error && !data) return <p role="alert">What is to be mended can’t be shown: {error.message}</p>
  if (!data) return <div className="polish-room" aria-busy="true" />
  return <Room production={production} polish={data} />
}

function Room({ production, polish }: { production: Production; polish: Polish }) {
  const engine = useEngine()
  const { line, go, step } = useLines(production, engine)
  const { edit } = useEdits(production.id)
  const { playing } = useWatched(engine.transport.state)
  const [shows, setShows] = useState<'places' | 'levels'>('places')
  const [closes, setCloses] = useState(true)
  const [byHand, setByHand] = useState<Place | null>(null)
  const { place, index, asked, setAsked, choose } = usePlaces(polish.places, byHand)
  const { lines } = production
  const here = place ? lines.find((each) => each.id === place.line) : line
  useEffect(() => {
    // The page, the picture and the strip are about the place's line.
    if (place) useSelection.getState().choose(place.line)
  }, [place])

  const hear = (from: Place, changed: Asked, ways: readonly boolean[]) => {
    const [mended, ...then] = ways
    if (engine.recorder.isBusy || mended === undefined) return
    const voice = lines.find((each) => each.id === from.line)?.voice
    const { start: begins, end: to } = aroundOf(from, changed)
    const start = Math.max(0, begins)
    const url = stretchOf(from, changed, mended)
    const load = async () => ({ buffer: await engine.sounds.buffer(url), offset: start - begins })
    const sound = { key: url, span: [start, to], bus: 'voice', level: voice?.gain ?? 0, cut: [true, true], load } as const
    void engine.transport.play(start, {
      to,
      score: () => [{ ...sound, span: [start, to] }],
      follow: false,
      onEnd: () => {
        engine.transport.seek(from.at)
        if (then.length) setTimeout(() => hear(from, changed, then), 250)
      },
    })
  }
  // What was settled makes way for the next place, which is heard at once: one pass with two keys.
  const settled = useRef<string | null>(null)
  useEffect(() => {
    if (!settled.current || !place || place.id === settled.current) return
    settled.current = null
    hear(place, askedOf(place), waysOf(place))
  })
  const hearLine = (bare: boolean) => {
    if (!here?.voice || engine.recorder.isBusy) return
    const voice = bare ? { ...here.voice, key: here.voice.bare } : here.voice
    const { score, ducks, ducking } = scoreOf(engine, production, [voice], 'none')
    void engine.transport.play(voice.span[0]!, { to: voice.span[1]!, score, ducks, ducking, follow: false })
  }
  const stepPlace = (by: number) => {
    const next = polish.places[Math.max(0, Math.min(polish.places.length - 1, byHand ? index : index + by))]
    if (!next) return
    setByHand(null)
    settled.current = null
    choose(next)
    hear(next, askedOf(next), waysOf(next))
  }
  const say = {
    onError: (error: Error) => {
      settled.current = null
      sayProblem(error)
    },
  }
  const wanted = (one: Place, changed = askedOf(one)) => ({
    recording: one.recording,
    kind: one.kind,
    span: [changed.first, changed.last],
    decibel: changed.decibel,
  })
  const settle = (on: boolean) => {
    if (!place || !asked) return
    if (on && !place.mends) return go(here)
    setByHand(null)
    if (byHand && !on) return
    settled.current = byHand ? null : place.id
    if (on && place.treatments[0]) return edit.mutate({ kind: 'set_treatment', ...place.treatments[0] }, say)
    if (on && isCut(place)) {
      const [start, end] = place.source as [number, number]
      const gap = [place.span[0]! + asked.first - start, place.span[1]! + asked.last - end]
      const { line, voice } = place
      edit.mutate({ kind: 'close_gap', line, voice, gap, keep: asked.keep, close_up: closes }, say)
      return
    }
    edit.mutate({ kind: 'mend', places: [wanted(place, asked)], on }, say)
  }
  /** The line as another sound has it. */
  const hearAs = (url: string, level: number) => {
    if (!here?.voice || engine.recorder.isBusy) return
    const [start, to] = here.voice.span as [number, number]
    const load = async () => ({ buffer: await engine.sounds.buffer(url), offset: 0 })
    const sound = { key: url, span: [start, to], bus: 'voice', level, load } as const
    void engine.transport.play(start, { to, score: () => [{ ...sound, span: [start, to] }], follow: false })
  }
  const hearAway = (kind: string) =>
    here?.voice && hearAs(`/api/lines/${here.id}/treatment/taken-away/${kind}/?of=${here.voice.key}`, here.voice.gain)
  const hearCompared = (of: string, beside: string) => {
    if (!here?.voice) return
    const query = new URLSearchParams({ of, beside, key: here.voice.key })
    hearAs(`/api/lines/${here.id}/treatment/compared/?${query}`, 0)
  }
  const alike = polish.places.filter((one) => one.kind === place?.kind && one.mends && one.sure >= place.sure)
  const settleAlike = () => {
    if (!place?.mends || isCut(place)) return
    settled.current = place.id
    if (place.treatments.length) {
      const everywhere = place.treatments[1]
      if (everywhere) edit.mutate({ kind: 'set_treatment', ...everywhere }, say)
      return
    }
    edit.mutate(
      { kind: 'mend', places: alike.map((one) => wanted(one, one.id === place.id && asked ? asked : undefined)) },
      say,
    )
  }
  const change = (by: Partial<Asked>) => asked && setAsked({ ...asked, ...by })
  const deepen = (by: number) =>
    asked &&
    place &&
    isLevel(place) &&
    change({
      decibel: Math.max(-40, Math.min(lifts(place.kind) ? 20 : 0, asked.decibel + by)),
    })
  const edge = (start: number, end: number) => {
    if (!asked || !place || isWhole(place) || place.kind === 'gap') return
    const first = Math.max(0, asked.first + start)
    const last = asked.last + end
    if (last - first >= FIVE_MS) change({ first, last })
  }
  useKeys({
    play: () => (playing ? engine.transport.stop() : place && asked ? hear(place, asked, [false, true]) : hearLine(false)),
    up: () => stepPlace(-1),
    down: () => stepPlace(1),
    lineUp: () => step(-1),
    lineDown: () => step(1),
    accept: () => settle(true),
    leaveIt: () => settle(false),
    acceptAlike: settleAlike,
    asRead: () => place && asked && hear(place, asked, [false]),
    asMended: () => place && asked && hear(place, asked, [true]),
    hearLine: () => hearLine(false),
    lineAsRead: () => hearLine(true),
    deeper: () => deepen(-3),
    lighter: () => deepen(3),
    edgeBack: () => edge(-FIVE_MS, 0),
    edgeOn: () => edge(FIVE_MS, 0),
    endBack: () => edge(0, -FIVE_MS),
    endOn: () => edge(0, FIVE_MS),
    gapCloses: () => setCloses((on) => !on),
  })
  const read = lines.some((each) => each.voice)
  return (
    <div className="polish-room">
      <section className="polish-list" aria-label="what is left">
        <SegmentedControl
          fullWidth
          size="xs"
          value={shows}
          onChange={(value) => setShows(value as typeof shows)}
          aria-label="what is shown"
          data={[
            { value: 'places', label: `Places ${polish.places.length || ''}` },
            { value: 'levels', label: 'Levels' },
          ]}
        />
        {shows === 'places' ? (
          <>
            <Scanned production={production} polish={polish} />
            <Places
              production={production}
              places={polish.places}
              chosen={place}
              onChoose={(next) => {
                setByHand(null)
                choose(next)
              }}
            />
          </>
        ) : (
          <Levels production={production} chosen={here?.id} onChoose={go} />
        )}
      </section>
      <section className="polish-place">
        {shows === 'levels' && <ProgrammePlot production={production} chosen={here?.id} onChoose={go} />}
        {shows === 'levels' ? null : place && asked && here ? (
          <PlaceView
            production={production}
            place={place}
            asked={asked}
            line={here}
            closes={closes}
            alike={alike.length}
            onHear={(ways) => hear(place, asked, ways)}
            onAccept={() => settle(true)}
            onLeave={() => settle(false)}
            onAlike={settleAlike}
            onChange={change}
            onCloses={setCloses}
          />
        ) : (
          <div className="polish-none">
            <h1>{!read ? 'Nothing was read yet' : polish.unscanned ? 'Not scanned yet' : 'No suspicious place is left'}</h1>
            <p>
              {!read
                ? 'What was read in the Booth can be mended and treated here. The recording itself never changes.'
                : polish.unscanned
                  ? 'A scan listens to what sounds for each line and proposes places: breaths, coughs and knocks, clicks, plosives, rumble, hum, long gaps, clipping, seams that are heard, lines unlike the others.'
                  : 'Hear the lines once more with L. What was settled stands below and can be taken back.'}
            </p>
            {!read && (
              <Button component={Link} to="../booth" variant="default">
                Read in the Booth
              </Button>
            )}
          </div>
        )}
        {here?.voice && shows === 'places' && (
          <ByHand
            key={here.id}
            production={production}
            line={here}
            onMark={(made) => {
              setByHand(made)
              hear(made, askedOf(made), waysOf(made))
            }}
          />
        )}
        {here && <Length production={production} line={here} />}
        <SettledList
          production={production}
          repairs={polish.repairs}
          onBack={(ids) => edit.mutate({ kind: 'drop_repairs', repairs: ids }, say)}
        />
      </section>
      <Treatment
        production={production}
        polish={polish}
        line={here}
        onSet={(scope, chain) => edit.mutate({ kind: 'set_treatment', scope, chain }, say)}
        onHear={hearLine}
        onAway={hearAway}
        onCompare={hearCompared}
      />
    </div>
  )
}

/** As it was read, then mended. */
function waysOf(place: Place): readonly boolean[] {
  return place.mends ? [false, true] : [false]
}

/** The place that is looked at: the next one, when it is settled; and how its proposal was changed. */
function usePlaces(places: Place[], byHand: Place | null) {
  const [chosen, setChosen] = useState<string | null>(null)
  const last = useRef(0)
  const found = places.findIndex((place) => place.id === chosen)
  const index = found >= 0 ? found : Math.min(last.current, places.length - 1)
  const place: Place | undefined = byHand ?? places[index]
  useEffect(() => {
    last.current = Math.max(0, index)
  }, [index])
  const [changed, setChanged] = useState<{ id: string; asked: Asked } | null>(null)
  const asked = place ? (changed?.id === place.id ? changed.asked : askedOf(place)) : null
  return {
    place,
    index,
    asked,
    setAsked: (next: Asked) => place && setChanged({ id: place.id, asked: next }),
    choose: (next: Place) => setChosen(next.id),
  }
}

const NAMES: Record<Place['kind'], string> = {
  breath: 'breaths',
  noise: 'noises',
  click: 'clicks',
  plosive: 'plosives',
  gap: 'gaps',
  clipped: 'clipped',
  'false start': 'false starts',
  'put in': 'put in',
  gain: 'marked',
  rumble: 'rumble',
  hum: 'with hum',
  level: 'louder or quieter',
  dull: 'duller',
  seam: 'seams',
}

type ListProps = { production: Production; places: Place[]; chosen: Place | undefined; onChoose: (place: Place) => void }

/** What is left by kind, and the places in the order of the programme. */
function Places({ production, places, chosen, onChoose }: ListProps) {
  const counts = new Map<Place['kind'], number>()
  for (const { kind } of places) counts.set(kind, (counts.get(kind) ?? 0) + 1)
  const row = useRef<HTMLLIElement>(null)
  const id = chosen?.id
  // biome-ignore lint/correctness/useExhaustiveDependencies: another row is the chosen one then
  useEffect(() => {
    row.current?.scrollIntoView({ block: 'nearest' })
  }, [id])
  return (
    <>
      {places.length > 0 && (
        <p className="quiet polish-tally" data-testid="polish-tally">
          {[...counts]
            .map(
              ([kind, count]) => `${count} ${count === 1 && (kind === 'seam' || !isWhole({ kind })) ? kind : NAMES[kind]}`,
            )
            .join(' · ')}
        </p>
      )}
      <ol className="polish-places" data-testid="places">
        {places.map((place) => (
          <li key={place.id} ref={place.id === id ? row : undefined}>
            <button type="button" aria-current={place.id === id} onClick={() => onChoose(place)} data-kind={place.kind}>
              <span className="page-number">{production.lines.find((line) => line.id === place.line)?.number}</span>
              <span>{place.text}</span>
              <span className="tc polish-at">{timecodeAt(production, place.at)}</span>
              <Sure value={place.sure} />
            </button>
          </li>
        ))}
      </ol>
    </>
  )
}

/** How sure a proposal is: a short bar, and the number. */
export function Sure({ value }: { value: number }) {
  return (
    <span className="polish-sure">
      <i style={{ width: `${value * 28}px` }} aria-hidden="true" />
      {Math.round(value * 100)} %
    </span>
  )
}

/** What was not scanned yet; a scan, or voices being treated, with a way to stop. */
function Scanned({ production, polish }: { production: Production; polish: Polish }) {
  const queries = useQueryClient()
  const scan = useScan(production.id)
  const jobs = useJobsOf(production.id, [SCAN, TREAT], () => refreshPolish(queries, production.id))
  const job = jobs?.find(isGoing)
  const failed = jobs?.find((each) => each.kind === SCAN)
  const read = production.lines.filter((line) => line.voice).length
  if (job) return <JobGoing production={production.id} job={job} />
  return (
    <div className="polish-scan">
      {failed?.state === 'failed' && polish.unscanned > 0 && <p role="alert">{failed.error}</p>}
      {read > 0 && (
        <Button
          size="xs"
          variant={polish.unscanned ? 'filled' : 'default'}
          onClick={() => scan.mutate(!polish.unscanned, { onError: sayProblem })}
          data-testid="scan"
        >
          {polish.unscanned ? `Scan ${polish.unscanned === 1 ? 'one line' : `${polish.unscanned} lines`}` : 'Scan again'}
        </Button>
      )}
      <p className="quiet polish-keys">
        <Key action="down" /> <Key action="up">hear next, previous</Key>
      </p>
    </div>
  )
}
