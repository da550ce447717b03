import { useQuery } from '@tanstack/react-query'
import { useCallback } from 'react'
import { answered, client, type Line } from '../../api/client'
import { type Inks, type Paint, useDrawing } from '../../page/drawing'

const LOWEST = 40
const HIGHEST = 16_000
/** dB from the middle to the edge of the response's scale. */
const REACH = 18
/** dB of the spectrum that are seen. */
const DEPTH = 60
/** dB that a full column of what is held back stands for. */
const MOST_HELD = 18
const MARKS = [100, 1_000, 10_000]

type Drawing = Awaited<ReturnType<typeof load>>

function load(line: string) {
  return answered(client.GET('/api/lines/{line_id}/treatment/drawing/', { params: { path: { line_id: line } } }))
}

/** What the treatment does to this line: the filters over the voice's own spectrum, and what is held back along the line. */
export function TreatmentDrawing({ line }: { line: Line }) {
  return line.voice ? <Drawn line={line} /> : null
}

function Drawn({ line }: { line: Line }) {
  const { data } = useQuery({
    queryKey: ['treatment', line.id, line.voice?.key],
    queryFn: () => load(line.id),
    placeholderData: (before, query) => (query?.queryKey[1] === line.id ? before : undefined),
    staleTime: Number.POSITIVE_INFINITY,
  })
  const spectrum = useDrawing(useCallback<Paint>((ctx, box, inks) => data && drawSpectrum(ctx, box, inks, data), [data]))
  const held = useDrawing(useCallback<Paint>((ctx, box, inks) => data && drawHeld(ctx, box, inks, data), [data]))
  const kinds = data?.held.map((one) => one.kind) ?? []
  return (
    <figure className="polish-drawing" aria-busy={!data}>
      <canvas
        ref={spectrum}
        role="img"
        aria-label={`spectrum of line ${line.number} as read and treated, and what the filters do`}
      />
      <canvas
        ref={held}
        hidden={!kinds.length}
        style={{ height: 26 * Math.max(1, kinds.length) }}
        role="img"
        aria-label={`how much is held back along line ${line.number} by ${kinds.join(', ')}`}
      />
      <figcaption className="quiet">
        <i className="as-read" /> as read <i className="as-mended" /> treated
      </figcaption>
    </figure>
  )
}

function drawSpectrum(ctx: CanvasRenderingContext2D, box: { width: number; height: number }, inks: Inks, data: Drawing) {
  const { width, height } = box
  const x = (hertz: number) => (Math.log(hertz / LOWEST) / Math.log(HIGHEST / LOWEST)) * width
  const top = Math.max(...data.before, ...data.after)
  const y = (level: number) => Math.min(height, ((top - level) / DEPTH) * height + 4)
  const area = (levels: number[], colour: string, alpha: number) => {
    ctx.beginPath()
    ctx.moveTo(0, height)
    for (const [n, hertz] of data.hertz.entries()) ctx.lineTo(x(hertz), y(levels[n]!))
    ctx.lineTo(width, height)
    ctx.fillStyle = colour
    ctx.globalAlpha = alpha
    ctx.fill()
    ctx.globalAlpha = 1
  }
  area(data.before, inks.ink, 0.25)
  area(data.after, inks.sea, 0.35)
  ctx.font = '10px "Spline Sans Mono", monospace'
  for (const hertz of MARKS) {
    ctx.fillStyle = inks.rule
    ctx.fillRect(x(hertz), 0, 1, height)
    ctx.fillStyle = inks.soft
    const label = hertz < 1_000 ? `${hertz}` : `${hertz / 1_000}k`
    ctx.fillText(label, hertz < 10_000 ? x(hertz) + 3 : x(hertz) - 21, height - 3)
  }
  ctx.fillStyle = inks.rule
  ctx.fillRect(0, height / 2, width, 1)
  ctx.beginPath()
  for (const [n, hertz] of data.hertz.entries())
    ctx.lineTo(x(hertz), height / 2 - (data.response[n]! / REACH) * (height / 2))
  ctx.strokeStyle = inks.ink
  ctx.lineWidth = 1.6
  ctx.stroke()
}

/** Columns that hang from above: the deeper, the more is held back. */
function drawHeld(ctx: CanvasRenderingContext2D, box: { width: number; height: number }, inks: Inks, data: Drawing) {
  const band = box.height / Math.max(1, data.held.length)
  ctx.font = '10px "Spline Sans Mono", monospace'
  for (const [row, { kind, held }] of data.held.entries()) {
    const y = row * band
    ctx.fillStyle = inks.rule
    ctx.fillRect(0, y, box.width, 1)
    ctx.fillStyle = inks.sea
    const each = box.width / held.length
    for (const [n, decibel] of held.entries())
      ctx.fillRect(n * each, y + 1, Math.max(1, each), Math.min(1, decibel / MOST_HELD) * (band - 2))
    const most = Math.max(...held)
    ctx.fillStyle = inks.ink
    ctx.fillText(`${kind} ${most < 0.05 ? '0' : `−${most.toFixed(1)}`} dB`, 2, y + band - 4)
  }
}
