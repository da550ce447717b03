import { Popover } from '@mantine/core'
import { useElementSize } from '@mantine/hooks'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useEffect, useRef, useState } from 'react'
import { answered, client, type Line, type Take } from '../../api/client'
import { decibelText } from '../../app/numbers'
import { asSpan } from '../../app/room'
import { SAMPLE_RATE, type Span, secondsText } from '../../engine/time'
import { type Inks, type Paint, useDrawing } from '../../page/drawing'
import { Playhead } from '../../page/Playhead'
import { AROUND, drawWave, useAround, useWave, type Wave } from '../../page/wave'
import { drawBrackets } from '../../strip/draw'
import { TakeFile } from './TakeFile'

/** What of the programme the rows of a line show: its slot with a little around it, or the longest take. */
export function rowSpan(line: Line, takes: readonly Take[]): Span {
  const slot = asSpan(line.slot)
  const spans = takes.flatMap(({ voice }) => (voice ? [voice.span] : []))
  const starts = spans.map((span) => span[0]!)
  const ends = spans.map((span) => span[1]!)
  if (!slot) return [Math.min(...starts, spans.length ? Number.POSITIVE_INFINITY : 0), Math.max(SAMPLE_RATE, ...ends)]
  return [Math.min(slot[0] - SAMPLE_RATE / 2, ...starts), Math.max(slot[1] + SAMPLE_RATE, ...ends)]
}

type RowProps = {
  take: Take
  line: Line
  span: Span
  /** The film's own sound over the span, where the line replaces it. */
  old: Wave | undefined
  on: boolean
  /** From a place of the programme, or from its beginning. */
  onHear: (from?: number) => void
  onPick: () => void
  /** The words of it that are chosen, and others chosen. */
  words: { first: number; last: number } | null
  onWords: (first: number, last: number) => void
  /** Its note is being written. */
  noting: boolean
  onMark: () => void
  /** Another note; null: it is going to be written. */
  onNote: (note: string | null) => void
  onApart: () => void
  /** Another place for a seam: its index, and the sample of the comp. */
  onSeam: (seam: number, to: number) => void
  /** It begins or ends at another sample of the programme. */
  onEnd: (end: End, at: number) => void
}

/** A take or a comp on its row: drawn over the slot's brackets, its numbers, and what is wrong or right with it. */
export function TakeRow(props: RowProps) {
  const { take, line, span, on, words, onHear, onPick, onWords, onApart } = props
  const sounds = line.voice?.id === take.id
  const picked = line.pick === take.id
  const isComp = take.kind === 'comp'
  const row = useRef<HTMLLIElement>(null)
  useEffect(() => {
    if (on) row.current?.scrollIntoView({ block: 'nearest' })
  }, [on])
  const status = picked ? 'picked' : take.aside ? 'set aside' : sounds ? 'sounds now' : ''
  const slot = asSpan(line.slot)
  const speech = take.voice?.speech
  const numbers = [
    speech ? `${secondsText(speech[1]! - speech[0]!)}${slot ? ` of ${secondsText(slot[1] - slot[0])}` : ''} s` : '',
    take.peak === null ? '' : `peak ${decibelText(take.peak)} dBFS`,
    take.loudness === null ? '' : `${decibelText(take.loudness)} LUFS`,
    take.noise === null ? '' : `noise ${decibelText(take.noise, 0)}`,
  ].filter(Boolean)
  const [name, how] = isComp ? shortName(take.name) : [take.number, '']
  return (
    <li
      ref={row}
      className={`take-row${on ? ' on' : ''}${picked ? ' picked' : ''}${take.aside ? ' aside' : ''}`}
      aria-current={on}
      data-take={isComp ? take.name : take.number}
      data-kind={take.kind}
    >
      <button type="button" className="take-hear" onClick={() => onHear()} aria-label={`hear ${take.name}`}>
        <b>{name}</b>
        {how && <small>{how}</small>}
        {(status || !how) && <small>{status || ' '}</small>}
      </button>
      <div className="take-shown">
        <TakeWave {...{ take, slot, span, picked, on }} old={props.old} onSeam={props.onSeam} onEnd={props.onEnd} />
        <ReadWords take={take} span={span} chosen={words} onHear={onHear} onWords={onWords} />
      </div>
      <div className="take-said">
        <p>
          {take.state === 'recording' && <span className="take-fault">not closed yet</span>}
          {take.faults.map((fault) => (
            <span key={fault} className="take-fault">
              {fault}
            </span>
          ))}
          {take.suggested?.length ? (
            <span className="take-suggested" data-testid="suggested">
              try first: {take.suggested.join(', ')}
            </span>
          ) : null}
          {take.remarks
            .filter((remark) => !take.suggested?.includes(remark))
            .map((remark) => (
              <span key={remark} className="take-remark">
                {remark}
              </span>
            ))}
        </p>
        {on && take.voice && take.seams.length > 0 && <SeamJumps take={take} onHear={onHear} />}
        {take.marks.length > 0 && (
          <p className="take-marks">
            {take.marks.length === 1 ? 'a mistake' : 'mistakes'} marked at{' '}
            {take.marks.map((mark) => (
              <button key={mark} type="button" onClick={() => onHear(mark - 2 * SAMPLE_RATE)} title="hear it">
                {secondsText(mark - (take.voice?.speech?.[0] ?? take.start))} s
              </button>
            ))}
          </p>
        )}
        {(take.note || props.noting) && <Note take={take} noting={props.noting} onNote={props.onNote} />}
        <p className="quiet take-numbers">
          {numbers.join(' · ')} <Place take={take} />
        </p>
      </div>
      <span className="take-doors">
        <button type="button" onClick={onPick} disabled={picked || take.state !== 'finished'}>
          {picked ? 'picked' : 'pick'}
        </button>
        {isComp ? (
          <button type="button" onClick={onApart} title="the takes that it is made of stay">
            separate
          </button>
        ) : (
          take.state === 'finished' && (
            <button type="button" onClick={props.onMark} title="keep, maybe, no (M)" data-testid="mark">
              {MARK_SIGNS[take.mark]} {take.mark || 'mark'}
            </button>
          )
        )}
        {!isComp && take.state === 'finished' && <TakeFile take={take} />}
      </span>
    </li>
  )
}

/** A comp's name in a narrow column: which takes it is made of, and how. */
function shortName(name: string): [string, string] {
  const [of, ...how] = name.split(', ')
  return [of!.replace(/^takes? /, '').replaceAll(' ', ''), how.join(', ')]
}

/** A mark has a shape of its own, so that it is told without its word. */
const MARK_SIGNS: Record<Take['mark'], string> = { '': '○', keep: '●', maybe: '◐', no: '✕', scratch: '▱' }

/** What somebody has noted of a take; pressed, it can be written anew. */
function Note({ take, noting, onNote }: Pick<RowProps, 'take' | 'noting' | 'onNote'>) {
  if (!noting)
    return (
      <button type="button" className="take-note" onClick={() => onNote(null)}>
        {take.note}
      </button>
    )
  return (
    <input
      className="take-note"
      // biome-ignore lint/a11y/noAutofocus: somebody asked to write here
      autoFocus
      defaultValue={take.note}
      maxLength={500}
      aria-label={`note on ${take.name}`}
      onBlur={(event) => onNote(event.currentTarget.value)}
      onKeyDown={(event) => {
        if (event.key === 'Escape') event.currentTarget.value = take.note
        if (event.key === 'Enter' || event.key === 'Escape') event.currentTarget.blur()
      }}
    />
  )
}

const LETTER = 5.9
const APART = 5
const MOST_ASIDE = 18
let pen: CanvasRenderingContext2D | null = null

/** How wide a word is, in points, in the face of `.take-words`. */
function widthOf(word: string): number {
  if (!pen) {
    pen = document.createElement('canvas').getContext('2d')
    if (!pen) return word.length * LETTER
    pen.font = `11.5px ${getComputedStyle(document.documentElement).getPropertyValue('--serif')}`
  }
  return pen.measureText(word).width
}

type WordsProps = Pick<RowProps, 'take' | 'span' | 'onWords'> & {
  chosen: RowProps['words']
  onHear: (from: number) => void
}

/** The words as they were read, each where it was said; one press hears from there, a drag over some chooses them. */
function ReadWords({ take, span, chosen, onHear, onWords }: WordsProps) {
  const [begun, setBegun] = useState<number | null>(null)
  const { ref, width } = useElementSize<HTMLDivElement>()
  const [from, to] = span
  const shown = []
  // Words that would lie over the one before them go into the second row, or a little to the right.
  const ends = [Number.NEGATIVE_INFINITY, Number.NEGATIVE_INFINITY]
  for (const [n, { ordinal, text, mark, span: said }] of (take.read?.words ?? []).toSorted(bySpan).entries()) {
    if (!said) continue
    const begins = ((said[0]! - from) / (to - from)) * width
    const free = ends.findIndex((end) => begins >= end)
    const row = free < 0 ? ends.indexOf(Math.min(...ends)) : free
    const x = Math.max(begins, ends[row]!)
    if (x - begins > MOST_ASIDE || x > width) continue
    ends[row] = x + widthOf(text) + APART
    shown.push(
      <button
        key={n}
        type="button"
        data-mark={mark}
        data-chosen={Boolean(chosen && mark === 'read' && ordinal >= chosen.first && ordinal <= chosen.last)}
        style={{ left: x, top: row * 13 }}
        onClick={() => onHear(said[0]!)}
        onPointerDown={() => setBegun(mark === 'read' ? ordinal : null)}
        onPointerEnter={({ buttons }) => {
          if (buttons === 1 && begun !== null && mark === 'read')
            onWords(Math.min(begun, ordinal), Math.max(begun, ordinal))
        }}
      >
        {text}
      </button>,
    )
  }
  return (
    <div ref={ref} className="take-words" aria-busy={take.read?.state === 'waiting'}>
      {shown}
    </div>
  )
}

type ReadWord = NonNullable<Take['read']>['words'][number]
const bySpan = (a: ReadWord, b: ReadWord) => (a.span?.[0] ?? 0) - (b.span?.[0] ?? 0)

/** How well the take's place is known; its clock map when asked. */
function Place({ take }: { take: Take }) {
  const [asked, setAsked] = useState(false)
  const path = { take_id: take.id }
  const { data, error } = useQuery({
    queryKey: ['clock', take.id],
    queryFn: () => answered(client.GET('/api/takes/{take_id}/clock/', { params: { path } })),
    enabled: asked,
  })
  if (take.within === null) return null
  const short = SHORT[take.latency_source] ?? `placed within ${inMs(take.within)}`
  return (
    <Popover width={340} position="left" withArrow opened={asked} onChange={setAsked}>
      <Popover.Target>
        <button type="button" className="take-place" onClick={() => setAsked(!asked)}>
          {short}
        </button>
      </Popover.Target>
      <Popover.Dropdown>
        <div className="clock-map" data-testid="clock-map">
          {error && <p role="alert">{error.message}</p>}
          {data && (
            <dl>
              <dt>begins</dt>
              <dd>{secondsText(data.pieces[0]!.programme, 3)} s of the programme</dd>
              <dt>way of sound</dt>
              <dd>
                {inMs(data.latency, 1)}, {WAYS[data.source as keyof typeof WAYS]}
              </dd>
              <dt>reader followed</dt>
              <dd>{data.guide === 'eye' ? 'the picture (the film was silent)' : 'the sound'}</dd>
              {data.picture_late !== null && (
                <>
                  <dt>picture</dt>
                  <dd>
                    {inMs(data.picture_late, 1)} {data.picture_late < 0 ? 'early' : 'late'} on average, ±
                    {inMs(data.picture_spread, 1)}
                  </dd>
                </>
              )}
              <dt>clock readings</dt>
              <dd>
                {data.readings}, within {inMs(data.residual, 2)}
                {data.drift ? `; drift ${data.drift} parts in a million` : ''}
              </dd>
              <dt>breaks, gaps, repeats</dt>
              <dd>
                {data.breaks.length}, {data.gaps.length}, {data.repeats.length}
              </dd>
            </dl>
          )}
          {data?.doubts.slice(0, MOST_DOUBTS).map((doubt) => {
            const [at, words] = doubt as [number, string]
            return (
              <p key={`${at}${words}`} className="take-fault">
                {secondsText(at)} s: {words}
              </p>
            )
          })}
          {data && data.doubts.length > MOST_DOUBTS && (
            <p className="quiet">and {data.doubts.length - MOST_DOUBTS} more of the kind</p>
          )}
        </div>
      </Popover.Dropdown>
    </Popover>
  )
}

/** A take of hours on a starved machine may have thousands. */
const MOST_DOUBTS = 40

const WAYS = { none: 'simulated', browser: 'by the browser’s own figures', measured: 'measured', file: 'read elsewhere' }
const SHORT: Record<string, string> = { none: 'in sync by design', file: 'brought in' }

function inMs(samples: number, digits = 0): string {
  return `${Math.abs(samples / 48).toFixed(digits)} ms`
}

type WaveProps = {
  take: Take
  slot: Span | null
  span: Span
  old: Wave | undefined
  picked: boolean
  on: boolean
  onSeam: (seam: number, to: number) => void
  onEnd: (end: End, at: number) => void
}

export type End = 'first' | 'last'
/** What is dragged: a seam by its index, or an end; `at` is where it would be. */
type Held = { what: number | End; at: number }

const REACH = 7

function TakeWave({ take, slot, span, old, picked, on, onSeam, onEnd }: WaveProps) {
  const { voice } = take
  const wave = useWave(voice)
  const [held, setHeld] = useState<Held | null>(null)
  const [near, setNear] = useState(false)
  const around = useAround(voice, near || held !== null)
  const [from, to] = span
  const [start, end] = slot ?? [null, null]
  const still = useDrawing(
    useCallback<Paint>(
      (ctx, { width, height }, inks) => {
        const perPoint = (to - from) / width
        const x = (sample: number) => (sample - from) / perPoint
        if (old) {
          ctx.globalAlpha = 0.45
          drawWave(ctx, old, { x: 0, y: 1, width, height: height - 2 }, 0, perPoint, inks.straw, true)
          ctx.globalAlpha = 1
        }
        const sounds = asSpan(voice?.span)
        if (wave && sounds) {
          const box = { x: x(sounds[0]), y: 5, width: x(sounds[1]) - x(sounds[0]), height: height - 10 }
          drawWave(ctx, wave, box, 0, perPoint, picked ? inks.sea : inks.ink)
          if (held?.what === 'first' || held?.what === 'last')
            drawEnd(
              ctx,
              held.what,
              { from: x(sounds[0]), to: x(sounds[1]), at: x(held.at), height, perPoint },
              inks,
              around,
            )
        }
        ctx.fillStyle = inks.straw
        for (const clip of take.clipped) ctx.fillRect(x(clip[0]!) - 1, 0, 2, 5)
        for (const mark of take.marks) drawMark(ctx, x(mark), inks)
        for (const [n, seam] of take.seams.entries()) drawSeam(ctx, x(held?.what === n ? held.at : seam), height, inks)
        if (start !== null) drawBrackets(ctx, x(start), 2, x(end) - x(start), height - 4, inks.ink, 1.4)
      },
      [wave, old, take, voice, start, end, from, to, picked, held, around],
    ),
  )
  const sampleAt = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    return {
      at: Math.round(from + ((event.clientX - box.left) / box.width) * (to - from)),
      perPoint: (to - from) / box.width,
    }
  }
  /** What can be dragged at the pointer. */
  const heldAt = (event: React.PointerEvent): Held | null => {
    const { at, perPoint } = sampleAt(event)
    const reached = (sample: number) => Math.abs(sample - at) < REACH * perPoint
    const seam = take.seams.findIndex(reached)
    if (seam >= 0) return { what: seam, at: take.seams[seam]! }
    const [begins, ends] = asSpan(voice?.span) ?? [Number.NaN, Number.NaN]
    if (reached(begins)) return { what: 'first', at: begins }
    return reached(ends) ? { what: 'last', at: ends } : null
  }
  const press = (event: React.PointerEvent) => {
    const found = heldAt(event)
    if (!found) return
    event.currentTarget.setPointerCapture(event.pointerId)
    setHeld(found)
  }
  const drag = (event: React.PointerEvent) => {
    if (held && event.buttons === 1) return setHeld({ ...held, at: sampleAt(event).at })
    const found = heldAt(event)
    setNear(typeof found?.what === 'string')
    ;(event.currentTarget as HTMLElement).style.cursor = found ? 'ew-resize' : ''
  }
  const drop = () => {
    if (held && voice) {
      const { what, at } = held
      const [begins, ends] = voice.span as [number, number]
      if (typeof what === 'number') at !== take.seams[what] && onSeam(what, at - begins)
      else if (at !== (what === 'first' ? begins : ends)) onEnd(what, at)
    }
    setHeld(null)
  }
  return (
    <span className="take-wave">
      <canvas
        ref={still}
        role="img"
        aria-label={`waveform of ${take.name} over its slot`}
        onPointerDown={press}
        onPointerMove={drag}
        onPointerUp={drop}
      />
      {on && <Playhead from={from} to={to} playing />}
    </span>
  )
}

type EndBox = { from: number; to: number; at: number; height: number; perPoint: number }

/** An end that is dragged: what would go is veiled, what would come is drawn; a line where it would lie. */
function drawEnd(
  ctx: CanvasRenderingContext2D,
  end: End,
  { from, to, at, height, perPoint }: EndBox,
  inks: Inks,
  around: readonly [Wave, Wave] | undefined,
): void {
  const first = end === 'first'
  const edge = first ? from : to
  const grows = first ? at < from : at > to
  ctx.save()
  if (grows) {
    const wide = AROUND / perPoint
    ctx.beginPath()
    ctx.rect(Math.min(at, edge), 0, Math.abs(at - edge), height)
    ctx.clip()
    const box = { x: first ? from - wide : to, y: 5, width: wide, height: height - 10 }
    if (around) drawWave(ctx, around[first ? 0 : 1], box, 0, perPoint, inks.ink)
  } else {
    ctx.globalAlpha = 0.75
    ctx.fillStyle = inks.sheet
    ctx.fillRect(Math.min(at, edge), 0, Math.abs(at - edge), height)
  }
  ctx.restore()
  ctx.fillStyle = inks.sea
  ctx.fillRect(at - 1, 0, 2, height)
}

/** Where the reader marked a mistake: a small arrow from above. */
function drawMark(ctx: CanvasRenderingContext2D, x: number, inks: Inks): void {
  ctx.fillStyle = inks.ink
  ctx.beginPath()
  ctx.moveTo(x - 5, 0)
  ctx.lineTo(x + 5, 0)
  ctx.lineTo(x, 8)
  ctx.fill()
}

/** A seam: a dotted line, and a small bow-tie where it can be taken. */
function drawSeam(ctx: CanvasRenderingContext2D, x: number, height: number, inks: Inks): void {
  ctx.save()
  ctx.strokeStyle = inks.ink
  ctx.fillStyle = inks.ink
  ctx.setLineDash([2, 3])
  ctx.beginPath()
  ctx.moveTo(x, 6)
  ctx.lineTo(x, height - 6)
  ctx.stroke()
  ctx.beginPath()
  for (const [y, by] of [
    [0, 6],
    [height, -6],
  ] as const) {
    ctx.moveTo(x - 4, y)
    ctx.lineTo(x + 4, y)
    ctx.lineTo(x, y + by)
  }
  ctx.fill()
  ctx.restore()
}

/** What is heard of the seams of a comp; one press hears it. */
function SeamJumps({ take, onHear }: { take: Take; onHear: (at?: number) => void }) {
  const { data } = useQuery({
    queryKey: ['seams', take.id, take.voice?.key],
    queryFn: () => answered(client.GET('/api/voices/{voice_id}/seams/', { params: { path: { voice_id: take.id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  })
  const loud = data?.flatMap(({ at, heard }, index) => (heard.length ? [{ at, heard, number: index + 1 }] : [])) ?? []
  if (!loud.length) return null
  return (
    <p className="take-marks" data-testid="seams">
      {loud.map(({ at, heard, number }) => (
        <button key={at} type="button" onClick={() => onHear(Math.max(0, at - SAMPLE_RATE))} title="hear it">
          {data!.length > 1 ? `seam ${number}` : 'seam'}: {heard.join(', ')}
        </button>
      ))}
    </p>
  )
}
