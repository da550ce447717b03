import { Button, SegmentedControl } from '@mantine/core'
import { useQuery } from '@tanstack/react-query'
import { useCallback, useRef, useState } from 'react'
import { Link } from 'react-router'
import type { Line, Place, Production } from '../../api/client'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { timecodeAt } from '../../app/room'
import { SAMPLE_RATE } from '../../engine/time'
import { type Paint, useDrawing } from '../../page/drawing'
import { Playhead } from '../../page/Playhead'
import { drawWave, waveOf } from '../../page/wave'
import { drawBrackets } from '../../strip/draw'
import { type Asked, aroundOf, isCut, isLevel, isWhole, Sure, stretchOf } from './PolishRoom'
import { spectrumOf } from './spectrum'

type Props = {
  production: Production
  place: Place
  asked: Asked
  line: Line
  closes: boolean
  alike: number
  onHear: (ways: readonly boolean[]) => void
  onAccept: () => void
  onLeave: () => void
  onAlike: () => void
  onChange: (by: Partial<Asked>) => void
  onCloses: (closes: boolean) => void
}

/** One suspicious place: what it is, what would be done, how it looks as it was read and mended. */
export function PlaceView(props: Props) {
  const { production, place, asked, line, closes, alike } = props
  const gap = place.kind === 'gap'
  const cut = isCut(place)
  const follows = closes ? 'moves up' : 'stays in sync'
  const { mends, treatments } = place
  const everywhere = treatments.length > 1
  const seam = place.kind === 'seam'
  return (
    <div className="polish-view">
      <p className="quiet">
        line {line.number} · <span className="tc">{timecodeAt(production, place.at)}</span>
      </p>
      <h1 className="polish-what" data-testid="place-what">
        {place.text} {place.kind !== 'gain' && <Sure value={place.sure} />}
      </h1>
      <p className="polish-line">{line.text}</p>
      <Drawn place={place} asked={asked} onChange={props.onChange} />
      <p className="polish-mend" data-testid="place-mend">
        {isLevel(place) && mends
          ? `${asked.decibel > 0 ? 'Lift' : 'Lower'} it by ${Math.abs(asked.decibel)} dB.`
          : gap
            ? `Leave ${(asked.keep / SAMPLE_RATE).toFixed(2)} s of it; what follows ${follows}.`
            : cut
              ? `Take it out; what follows ${follows}.`
              : mends
                ? `Proposed: ${place.mend}.`
                : seam
                  ? 'Move the seam or choose another take there, in Takes; or leave it as it is.'
                  : 'Clipped too far to be drawn anew. Read the line again, or leave it as it is.'}
      </p>
      {cut && (
        <SegmentedControl
          size="xs"
          value={closes ? 'close' : 'stay'}
          onChange={(value) => props.onCloses(value === 'close')}
          aria-label="what follows it"
          data={[
            { value: 'close', label: 'what follows moves up' },
            { value: 'stay', label: 'it stays in sync' },
          ]}
        />
      )}
      <div className="polish-doors">
        {mends ? (
          <Button onClick={props.onAccept} data-testid="accept">
            {gap ? 'Close the gap' : cut ? 'Take it out' : 'Mend it'}
          </Button>
        ) : (
          <Button component={Link} to={seam ? '../takes' : '../booth'}>
            {seam ? 'Go to Takes' : 'Read it again'}
          </Button>
        )}
        <Button variant="default" onClick={props.onLeave} data-testid="leave">
          Leave it
        </Button>
        <Button variant="default" onClick={() => props.onHear([false])}>
          As read
        </Button>
        {mends && (
          <Button variant="default" onClick={() => props.onHear([true])}>
            Mended
          </Button>
        )}
        {mends && !cut && (everywhere || (!treatments.length && alike > 1)) && (
          <Button variant="default" onClick={props.onAlike} data-testid="alike">
            {everywhere ? 'In all lines' : `Mend all ${alike} as sure`}
          </Button>
        )}
      </div>
      <p className="takes-keys polish-keys">
        <Key action="play">hear both</Key> <Key action="asRead" /> <Key action="asMended">as read, mended</Key>{' '}
        <Key action="accept">mend</Key> <Key action="leaveIt">leave</Key>{' '}
        <Key action="acceptAlike">{everywhere ? 'in all lines' : 'all as sure'}</Key>{' '}
        {isLevel(place) && mends && (
          <>
            <Key action="deeper" /> <Key action="lighter">3 dB more, less</Key>
          </>
        )}
        {cut && <Key action="gapCloses">moves up, or stays</Key>}
        {!isWhole(place) && !gap && (
          <>
            <Key action="edgeBack" /> <Key action="edgeOn">begins 5 ms earlier, later</Key>
          </>
        )}
      </p>
    </div>
  )
}

/** Samples in a column of what is drawn here: 2 ms. */
const FINE = SAMPLE_RATE / 500

/** Waveforms of the place, as read and mended, with its spectrum beneath. */
function Drawn({ place, asked, onChange }: { place: Place; asked: Asked; onChange: (by: Partial<Asked>) => void }) {
  const read = useStretch(stretchOf(place, asked, false))
  const mended = useStretch(stretchOf(place, asked, place.mends))
  const { start, end, marked } = aroundOf(place, asked)
  const whole = end - start
  const before = marked[0] - start
  const after = marked[1] - start
  const { moved, drag } = useEdges(place, asked, before, whole, onChange)
  const { first, last } = { ...asked, ...moved }
  const canvas = useDrawing(
    useCallback<Paint>(
      (ctx, { width, height }, inks) => {
        const perPoint = whole / width
        const wave = height * 0.58
        const box = { x: 0, y: 4, width, height: wave - 8 }
        const a = (before + first - asked.first) / perPoint
        const b = (after + last - asked.last) / perPoint
        ctx.fillStyle = inks.wash
        ctx.fillRect(a, 0, b - a, height)
        if (read) drawWave(ctx, read.wave, box, 0, perPoint, inks.ink, true, FINE)
        if (mended) drawWave(ctx, mended.wave, box, 0, perPoint, inks.sea, false, FINE)
        if (read) {
          const { columns, rows, levels } = read.spectrum
          const cell = { width: ((read.length / perPoint) * 1) / columns, height: (height - wave) / rows }
          ctx.fillStyle = inks.ink
          for (let x = 0; x < columns; x++)
            for (let y = 0; y < rows; y++) {
              ctx.globalAlpha = (levels[x * rows + y]! / 255) ** 1.6
              ctx.fillRect(x * cell.width, height - (y + 1) * cell.height, cell.width + 0.6, cell.height + 0.6)
            }
          ctx.globalAlpha = 1
        }
        drawBrackets(ctx, a, 2, Math.max(4, b - a), wave - 4, inks.ink, 1.4)
      },
      [read, mended, before, after, whole, first, last, asked.first, asked.last],
    ),
  )
  return (
    <div className="polish-drawn">
      <canvas
        ref={canvas}
        role="img"
        aria-label={`${place.text}: waveform as read and mended, spectrum beneath`}
        className={drag ? 'polish-edges' : undefined}
        {...drag}
      />
      <Playhead from={start} to={start + whole} playing />
      <span className="quiet polish-legend">
        <i className="as-read" /> as read <i className="as-mended" /> mended
      </span>
    </div>
  )
}

/** So near to an edge, in points, a press takes hold of it. */
const NEAR = 14
const SHORTEST = SAMPLE_RATE / 200

/** The edges of a place, dragged on what is drawn. It keeps its scale meanwhile: `moved` is where they would go. */
function useEdges(place: Place, asked: Asked, before: number, whole: number, onChange: (by: Partial<Asked>) => void) {
  const [moved, setMoved] = useState<Partial<Asked> | null>(null)
  const held = useRef<{ edge: 'first' | 'last'; x: number; perPoint: number } | null>(null)
  const dragged = (event: React.PointerEvent): Partial<Asked> => {
    if (!held.current) return {}
    const { edge, x, perPoint } = held.current
    const by = Math.round((event.clientX - x) * perPoint)
    return edge === 'first'
      ? { first: Math.max(0, Math.min(asked.last - SHORTEST, asked.first + by)) }
      : { last: Math.max(asked.first + SHORTEST, asked.last + by) }
  }
  if (isWhole(place) || place.kind === 'gap') return { moved: null, drag: null }
  const drag = {
    onPointerDown: (event: React.PointerEvent) => {
      const box = event.currentTarget.getBoundingClientRect()
      const perPoint = whole / box.width
      const x = event.clientX - box.left
      const [a, b] = [before / perPoint, (before + asked.last - asked.first) / perPoint]
      const edge = Math.abs(x - a) < Math.abs(x - b) ? 'first' : 'last'
      if (Math.abs(x - (edge === 'first' ? a : b)) > NEAR) return
      event.currentTarget.setPointerCapture(event.pointerId)
      held.current = { edge, x: event.clientX, perPoint }
    },
    onPointerMove: (event: React.PointerEvent) => held.current && setMoved(dragged(event)),
    onPointerUp: (event: React.PointerEvent) => {
      if (held.current) onChange(dragged(event))
      held.current = null
      setMoved(null)
    },
  }
  return { moved, drag }
}

/** A stretch as it is drawn. */
function useStretch(url: string) {
  const engine = useEngine()
  return useQuery({
    queryKey: ['stretch', url],
    queryFn: async () => {
      const buffer = await engine.sounds.buffer(url)
      const spectrum = await spectrumOf(buffer)
      return { wave: waveOf(buffer.getChannelData(0), FINE), spectrum, length: buffer.length }
    },
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 120_000,
  }).data
}
