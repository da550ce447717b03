import { Button } from '@mantine/core'
import { useCallback, useRef, useState } from 'react'
import { answered, client, type Line, type Place, type Production } from '../../api/client'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { timecodeAt } from '../../app/room'
import { type Span, secondsText } from '../../engine/time'
import { type Paint, useDrawing } from '../../page/drawing'
import { Playhead } from '../../page/Playhead'
import { drawWave, useWave } from '../../page/wave'
import { drawBrackets } from '../../strip/draw'

const KINDS = [
  { kind: 'gain', action: 'markGain', name: 'lower or lift' },
  { kind: 'click', action: 'markClick', name: 'a click' },
  { kind: 'plosive', action: 'markThump', name: 'a thump' },
  { kind: 'put in', action: 'markOut', name: 'take it out' },
] as const

/** A place that no scan has found: marked on the line's waveform, and then mended like one that was found. */
export function ByHand({
  production,
  line,
  onMark,
}: {
  production: Production
  line: Line
  onMark: (place: Place) => void
}) {
  const engine = useEngine()
  const voice = line.voice!
  const wave = useWave(voice)
  const [first, last] = voice.span as [number, number]
  const [marked, setMarked] = useState<Span | null>(null)
  const anchor = useRef<number | null>(null)
  const canvas = useDrawing(
    useCallback<Paint>(
      (ctx, { width, height }, inks) => {
        const perPoint = (last - first) / width
        if (marked) {
          ctx.fillStyle = inks.wash
          ctx.fillRect((marked[0] - first) / perPoint, 0, (marked[1] - marked[0]) / perPoint, height)
        }
        if (wave) drawWave(ctx, wave, { x: 0, y: 3, width, height: height - 6 }, 0, perPoint, inks.ink)
        if (marked) {
          const x = (marked[0] - first) / perPoint
          drawBrackets(ctx, x, 1, Math.max(4, (marked[1] - marked[0]) / perPoint), height - 2, inks.ink, 1.4)
        }
      },
      [wave, marked, first, last],
    ),
  )
  const at = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    const share = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width))
    return Math.round(first + share * (last - first))
  }
  const here = () => Math.max(first, Math.min(last, engine.transport.position()))
  const edge = (start: boolean) => {
    const now = here()
    const [a, b] = marked ?? [first, last]
    if (start) setMarked(now < b ? [now, b] : [now, last])
    else setMarked(now > a ? [a, now] : [first, now])
  }
  const mark = async (kind: (typeof KINDS)[number]['kind']) => {
    if (!marked || marked[1] - marked[0] < 2) return
    try {
      const params = { path: { line_id: line.id }, query: { first: marked[0], last: marked[1], kind } }
      onMark(await answered(client.GET('/api/lines/{line_id}/marked-place/', { params })))
      setMarked(null)
    } catch (error) {
      sayProblem(error)
    }
  }
  useKeys({
    markFrom: () => edge(true),
    markTo: () => edge(false),
    ...Object.fromEntries(KINDS.map(({ kind, action }) => [action, () => void mark(kind)])),
  })
  return (
    <section className="polish-hand" aria-label="by hand" data-testid="by-hand">
      <h2>
        By hand{' '}
        <span className="quiet">
          drag over the line, or <Key action="markFrom" /> <Key action="markTo">while it plays</Key>
        </span>
      </h2>
      <div className="polish-hand-wave">
        <canvas
          ref={canvas}
          role="img"
          aria-label={`waveform of line ${line.number}; drag over a place to mark it`}
          onPointerDown={(event) => {
            event.currentTarget.setPointerCapture(event.pointerId)
            anchor.current = at(event)
            engine.transport.seek(anchor.current)
          }}
          onPointerMove={(event) => {
            if (anchor.current === null || event.buttons !== 1) return
            const now = at(event)
            setMarked([Math.min(anchor.current, now), Math.max(anchor.current, now)])
          }}
          onPointerUp={() => {
            anchor.current = null
          }}
        />
        <Playhead from={first} to={last} />
      </div>
      {marked && (
        <div className="polish-doors">
          <span className="quiet">
            {secondsText(marked[1] - marked[0])} s at <span className="tc">{timecodeAt(production, marked[0])}</span>
          </span>
          {KINDS.map(({ kind, action, name }) => (
            <span key={kind} className="polish-hand-kind">
              <Button size="compact-sm" variant="default" onClick={() => void mark(kind)}>
                {name}
              </Button>
              <Key action={action} />
            </span>
          ))}
        </div>
      )}
    </section>
  )
}
