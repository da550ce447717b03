import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useCallback } from 'react'
import { answered, client, type Line, type Production } from '../../api/client'
import type { components } from '../../api/schema'
import { Key } from '../../app/Key'
import { type Paint, useDrawing } from '../../page/drawing'

type Compared = components['schemas']['Compared']
type Feature = Compared['features'][number]
type ComparedLine = Compared['lines'][number]

type Props = {
  production: Production
  line: Line | undefined
  onGo: (line: Line) => void
}

/** The lines beside one another, by what stands for each: which one sounds as if it had been read on another day. */
export function LinesCompared({ production, line, onGo }: Props) {
  const { id, revision } = production
  const { data, error } = useQuery({
    queryKey: ['compared', id, revision],
    queryFn: () =>
      answered(client.GET('/api/productions/{production_id}/takes/compared/', { params: { path: { production_id: id } } })),
    placeholderData: keepPreviousData,
  })
  const go = (wanted: string) => {
    const found = production.lines.find((each) => each.id === wanted)
    if (found) onGo(found)
  }
  const numberOf = (wanted: string) => production.lines.find((each) => each.id === wanted)?.number
  const apart = data?.lines.filter(({ unlike }) => unlike.length) ?? []
  const severalRead = new Set(data?.days.map(({ reader }) => reader)).size > 1
  const known = data?.lines.some(({ by }) => by.some((value) => value !== null))
  return (
    <section className="compared" aria-label="lines beside one another" data-testid="compared">
      <div className="compared-head">
        <span>Each line against those around it, as they were recorded</span>
        <Key action="compareLines">close</Key>
      </div>
      {error && <p role="alert">The lines can’t be compared: {error.message}</p>}
      {data && !known && (
        <p className="quiet">There is nothing to compare yet: it takes four lines that were read by the same reader.</p>
      )}
      {data && known && (
        <>
          <ul className="compared-features">
            {data.features.map((feature, column) => (
              <li key={feature.name}>
                <b>{feature.name}</b>
                <Dots feature={feature} column={column} lines={data.lines} chosen={line?.id} onGo={go} />
              </li>
            ))}
          </ul>
          {data.days.length > 0 && (
            <p className="compared-days" data-testid="compared-days">
              {data.days.map(({ reader, day, lines, unlike }) => (
                <span key={`${reader} ${day}`}>
                  {reader && severalRead ? `${reader}, ` : ''}
                  <b>{new Date(`${day}T12:00`).toLocaleDateString(undefined, { day: 'numeric', month: 'long' })}</b>:{' '}
                  {lines === 1 ? '1 line' : `${lines} lines`}
                  {unlike.length > 0 && `, ${unlike.join(', ')} than on the other days`}
                </span>
              ))}
            </p>
          )}
          <p className="compared-apart">
            {apart.length === 0 && <span className="quiet">No line stands out.</span>}
            {apart.map(({ line: key, unlike }) => (
              <button key={key} type="button" onClick={() => go(key)} aria-current={key === line?.id}>
                <b>{numberOf(key)}</b> {unlike.join(', ')}
              </button>
            ))}
          </p>
        </>
      )}
      {data && data.first_of > 0 && (
        <p className="quiet" data-testid="first-picked">
          Of {data.first_of === 1 ? '1 line' : `${data.first_of} lines`} with a choice, {data.first_picked} took the take to
          try first.
        </p>
      )}
    </section>
  )
}

type DotsProps = {
  feature: Feature
  column: number
  lines: ComparedLine[]
  chosen: string | undefined
  onGo: (line: string) => void
}

/** One feature along the lines: what lies outside of the band is heard. */
function Dots({ feature, column, lines, chosen, onGo }: DotsProps) {
  const canvas = useDrawing(
    useCallback<Paint>(
      (ctx, { width, height }, inks) => {
        const most = feature.least * 2.5
        const y = (by: number) => height / 2 - (Math.max(-most, Math.min(most, by)) / most) * (height / 2 - 4)
        ctx.fillStyle = inks.wash
        ctx.fillRect(0, y(feature.least), width, y(-feature.least) - y(feature.least))
        ctx.fillStyle = inks.rule
        ctx.fillRect(0, height / 2, width, 1)
        const step = width / lines.length
        for (const [n, { line, by, out: apart }] of lines.entries()) {
          const x = (n + 0.5) * step
          if (line === chosen) {
            ctx.fillStyle = inks.sea
            ctx.fillRect(x - 0.5, 0, 1, height)
          }
          const value = by[column]
          if (value === null || value === undefined) continue
          const out = apart[column]
          ctx.fillStyle = out ? inks.fire : inks.ink
          const size = Math.max(1.5, Math.min(out ? 4 : 2.5, step / 2))
          ctx.beginPath()
          if (out) ctx.rect(x - size, y(value) - size, 2 * size, 2 * size)
          else ctx.arc(x, y(value), size, 0, 2 * Math.PI)
          ctx.fill()
        }
      },
      [feature, column, lines, chosen],
    ),
  )
  const press = (event: React.MouseEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    const n = Math.floor(((event.clientX - box.left) / box.width) * lines.length)
    const found = lines[Math.max(0, Math.min(lines.length - 1, n))]
    if (found) onGo(found.line)
  }
  return (
    <canvas
      ref={canvas}
      role="img"
      aria-label={`${feature.name} of ${lines.length} lines, each against those around it`}
      onClick={press}
    />
  )
}
