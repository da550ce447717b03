import { Button } from '@mantine/core'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useCallback } from 'react'
import { answered, client, type Line, type Production } from '../../api/client'
import { isGoing, useJobsOf } from '../../api/production'
import { useEngine } from '../../app/engine'
import { GoingJob } from '../../app/GoingJob'
import { sayProblem } from '../../app/messages'
import { decibelText } from '../../app/numbers'
import { SAMPLE_RATE } from '../../engine/time'
import { type Paint, useDrawing } from '../../page/drawing'
import { Playhead } from '../../page/Playhead'
import { drawBrackets } from '../../strip/draw'
import { LoudnessNow } from './LoudnessNow'

const KIND = 'measure the programme'
/** LUFS at the top and at the bottom. */
const TOP = -5
const BOTTOM = -50
const LINES = 26

type Props = { production: Production; chosen: string | undefined; onChoose: (line: Line) => void }

/** How loud the whole programme is, as it would be handed over: its figures, and short-term loudness over the lines. */
export function ProgrammePlot({ production, chosen, onChoose }: Props) {
  const queries = useQueryClient()
  const path = { production_id: production.id }
  const key = ['loudness', production.id]
  const { data } = useQuery({
    queryKey: [...key, production.revision],
    queryFn: () => answered(client.GET('/api/productions/{production_id}/loudness/', { params: { path } })),
    placeholderData: (before) => before,
  })
  const jobs = useJobsOf(production.id, [KIND], () => void queries.invalidateQueries({ queryKey: key }))
  const job = jobs?.find(isGoing)
  const failed = jobs?.[0]?.state === 'failed' ? jobs[0] : null
  const measure = async () => {
    try {
      await answered(client.POST('/api/productions/{production_id}/loudness/', { params: { path } }))
      await queries.invalidateQueries({ queryKey: ['jobs', production.id] })
    } catch (error) {
      sayProblem(error)
    }
  }
  const found = data?.loudness
  const figure = (value: number | null | undefined, unit: string) =>
    value === null || value === undefined ? 'too quiet' : `${decibelText(value)} ${unit}`
  return (
    <section className="polish-programme" aria-label="loudness of the programme" data-testid="programme-loudness">
      <h1>Loudness of the programme</h1>
      <p className="quiet">
        As it would be handed over: voices at their level, film and music under them, the limiter last.
      </p>
      <LoudnessNow />
      {found ? (
        <>
          <dl>
            <dt>integrated</dt>
            <dd>{figure(found.integrated, 'LUFS')}</dd>
            <dt>range</dt>
            <dd>{found.range.toFixed(1)} LU</dd>
            <dt>highest short-term</dt>
            <dd>{figure(found.short_term, 'LUFS')}</dd>
            <dt>highest momentary</dt>
            <dd>{figure(found.momentary, 'LUFS')}</dd>
            <dt>true peak</dt>
            <dd>{decibelText(found.true_peak)} dBTP</dd>
          </dl>
          <p>{limiterText(found)}</p>
          <Plot production={production} curve={found.curve} chosen={chosen} onChoose={onChoose} />
        </>
      ) : (
        data && <p>Not measured yet.</p>
      )}
      {job ? (
        <GoingJob production={production.id} job={job} label="measured so far" />
      ) : (
        data && (
          <p className="polish-hear">
            <Button
              size="xs"
              variant={found?.now ? 'default' : 'filled'}
              onClick={() => void measure()}
              data-testid="measure"
            >
              {found ? 'Measure again' : 'Measure it'}
            </Button>
            {found && !found.now && <span className="quiet">Something was changed since.</span>}
            {failed && !found?.now && <span role="alert">{failed.error}</span>}
          </p>
        )
      )}
    </section>
  )
}

function limiterText({ held, limited }: { held: number; limited: number }): string {
  if (held < 0.05) return 'The limiter has nothing to do.'
  const share = limited < 0.001 ? 'less than 0.1' : (100 * limited).toFixed(1)
  return `The limiter works ${share} % of the time, and holds back ${held.toFixed(1)} dB at most.`
}

type PlotProps = Props & { curve: readonly number[] }

/** Short-term loudness, with the lines beneath; one press goes there. */
function Plot({ production, curve, chosen, onChoose }: PlotProps) {
  const engine = useEngine()
  const length = curve.length * SAMPLE_RATE
  const wanted = production.speech_level
  const canvas = useDrawing(
    useCallback<Paint>(
      (ctx, { width, height }, inks) => {
        const plot = height - LINES
        const y = (lufs: number) => ((TOP - lufs) / (TOP - BOTTOM)) * plot
        ctx.font = '10px "Spline Sans Mono", monospace'
        for (let lufs = -10; lufs > BOTTOM; lufs -= 10) {
          ctx.fillStyle = inks.rule
          ctx.fillRect(0, y(lufs), width, 1)
          ctx.fillStyle = inks.soft
          ctx.fillText(`${lufs}`.replace('-', '−'), 2, y(lufs) - 2)
        }
        const each = width / curve.length
        ctx.fillStyle = inks.sea
        for (const [n, lufs] of curve.entries()) {
          if (lufs <= BOTTOM) continue
          const at = Math.max(0, y(lufs))
          ctx.globalAlpha = 0.28
          ctx.fillRect(n * each, at, Math.max(1, each), plot - at)
          ctx.globalAlpha = 1
          ctx.fillRect(n * each, at, Math.max(1, each), 1.6)
        }
        if (wanted !== null) {
          ctx.fillStyle = inks.ink
          ctx.fillRect(0, y(wanted), width, 1)
          ctx.fillText('wanted', width - 40, y(wanted) - 3)
        }
        for (const line of production.lines) {
          const span = line.voice?.span ?? line.slot
          if (!span) continue
          const x = (span[0]! / length) * width
          const wide = Math.max(3, ((span[1]! - span[0]!) / length) * width)
          if (line.id === chosen) {
            ctx.fillStyle = inks.wash
            ctx.fillRect(x, plot + 3, wide, LINES - 5)
          }
          drawBrackets(ctx, x, plot + 3, wide, LINES - 5, line.voice ? inks.ink : inks.rule, 1.2)
          if (wide > 14) {
            ctx.fillStyle = inks.soft
            ctx.fillText(line.number, x + 4, plot + 17)
          }
        }
      },
      [curve, production.lines, chosen, wanted, length],
    ),
  )
  const press = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    const at = Math.round(((event.clientX - box.left) / box.width) * length)
    const line = production.lines.findLast(
      (each) => (each.voice?.span ?? each.slot ?? [Number.POSITIVE_INFINITY])[0]! <= at,
    )
    if (line) onChoose(line)
    engine.transport.seek(at)
  }
  return (
    <div className="polish-programme-plot">
      <canvas
        ref={canvas}
        role="img"
        aria-label="short-term loudness over the programme, with the lines beneath"
        onPointerDown={press}
      />
      <Playhead from={0} to={length} />
    </div>
  )
}
