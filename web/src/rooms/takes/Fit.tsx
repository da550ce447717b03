import { Button, Checkbox, NativeSelect } from '@mantine/core'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { answered, client, type FitProposal, type Line, type Take } from '../../api/client'
import type { FitWish } from '../../api/making'
import { useKeys } from '../../app/keys'
import { StretchField } from '../../app/StretchField'
import { SAMPLE_RATE, secondsText } from '../../engine/time'

type FitProps = {
  line: Line
  take: Take
  takes: Take[]
  /** Whether the film has sound of its own. */
  film: boolean
  busy: boolean
  onFit: (wish: FitWish) => void
  onClose: () => void
}

const FILM = 'film'
const MOST = 12

/** A take put where an old reading sits: phrase by phrase, shown before it is done. */
export function Fit({ line, take, takes, film, busy, onFit, onClose }: FitProps) {
  const others = takes.filter((other) => other.id !== take.id && other.voice?.speech)
  const [wanted, setGuide] = useState<string | null>(null)
  const usual = others.find(({ id }) => id === line.pick)?.id ?? (film && line.slot ? FILM : others[0]?.id)
  const guide = wanted !== null && (wanted === FILM || others.some(({ id }) => id === wanted)) ? wanted : usual
  const [most, setMost] = useState(MOST)
  const [stays, setStays] = useState<{ of: string; phrases: number[] }>({ of: '', phrases: [] })
  const of = `${take.id}${guide}`
  const stay = stays.of === of ? stays.phrases : []
  const [silence, setSilence] = useState(true)
  const { data, error, isFetching } = useQuery({
    queryKey: ['fit', line.id, take.voice?.key, take.voice?.span, guide, most, stay],
    queryFn: () =>
      answered(
        client.GET('/api/lines/{line_id}/fit/', {
          params: { path: { line_id: line.id }, query: { voice: take.id, guide: guide!, most: most / 100, stay } },
        }),
      ),
    enabled: Boolean(guide),
    placeholderData: keepPreviousData,
    retry: false,
  })
  const ready = data && guide && !error && !isFetching && !busy
  const fit = () =>
    ready &&
    onFit({ voice: take.id, guide, most: most / 100, stay, silence: guide === FILM && Boolean(line.slot) && silence })
  useKeys({ pick: fit, callOff: onClose })
  useEffect(() => {
    if (!guide) onClose()
  }, [guide, onClose])
  const tick = (index: number) =>
    setStays({ of, phrases: stay.includes(index) ? stay.filter((n) => n !== index) : [...stay, index] })
  return (
    <section className="fit" aria-label={`fit ${take.name}`} data-testid="fit">
      <div className="fit-asked">
        <NativeSelect
          size="xs"
          label={`Fit ${take.name} to`}
          value={guide}
          onChange={(event) => setGuide(event.currentTarget.value)}
          data={[
            ...(film && line.slot ? [{ value: FILM, label: 'the film’s own sound' }] : []),
            ...others.map(({ id, name }) => ({ value: id, label: name })),
          ]}
        />
        <StretchField most={most} onSet={setMost} />
        {guide === FILM && (
          <Checkbox
            size="xs"
            checked={silence}
            onChange={(event) => setSilence(event.currentTarget.checked)}
            label="the film’s own sound is silent in the slot"
          />
        )}
        <span className="fit-doors">
          <Button size="xs" onClick={fit} disabled={!ready} loading={busy}>
            Fit it
          </Button>
          <Button size="xs" variant="default" onClick={onClose}>
            Leave it
          </Button>
        </span>
      </div>
      {error && <p role="alert">{error.message}</p>}
      {data && !error && (
        <>
          <Ladder phrases={data.phrases} guide={data.guide} name={take.name} />
          <ol className="fit-phrases">
            {data.phrases.map((phrase, index) => (
              <li key={phrase.own[0]}>
                <Checkbox
                  size="xs"
                  checked={!stay.includes(index)}
                  onChange={() => tick(index)}
                  label={phrase.words || `phrase ${index + 1}`}
                />
                <span className="quiet">{shiftText(phrase.shift)}</span>
                <span className="quiet">{stretchText(phrase.stretch)}</span>
                <span className="fit-over">{overText(phrase.over)}</span>
              </li>
            ))}
          </ol>
        </>
      )}
    </section>
  )
}

const AUDIBLE = Math.round(0.04 * SAMPLE_RATE)

function shiftText(shift: number): string {
  if (Math.abs(shift) < SAMPLE_RATE / 1000) return 'stays in place'
  return `${secondsText(Math.abs(shift), 2)} s ${shift < 0 ? 'earlier' : 'later'}`
}

function stretchText(stretch: number): string {
  if (!stretch) return 'as read'
  return `${Math.abs(100 * stretch).toFixed(1)} % ${stretch < 0 ? 'shorter' : 'longer'}`
}

/** What the bound of stretching leaves over. */
function overText(over: number): string {
  if (Math.abs(over) <= AUDIBLE) return ''
  return `ends ${secondsText(Math.abs(over), 2)} s ${over < 0 ? 'before' : 'after'} the guide’s`
}

/** Each phrase of the guide above, of the take below, and where it would go between them. */
function Ladder({ phrases, guide, name }: { phrases: FitProposal['phrases']; guide: string; name: string }) {
  const all = phrases.flatMap(({ own, guide: theirs, to }) => [...own, ...theirs, ...to])
  const [from, until] = [Math.min(...all), Math.max(...all)]
  const x = (sample: number) => ((sample - from) / Math.max(1, until - from)) * 1000
  return (
    <div className="fit-ladder">
      <span className="quiet">{guide}</span>
      <svg
        viewBox="0 0 1000 74"
        preserveAspectRatio="none"
        role="img"
        aria-label={`${name} as it is, and fitted to ${guide}`}
      >
        {phrases.map(({ own, guide: theirs, to }) => (
          <g key={own[0]}>
            <rect className="fit-guide" x={x(theirs[0]!)} y={2} width={x(theirs[1]!) - x(theirs[0]!)} height={16} />
            <rect className="fit-to" x={x(to[0]!)} y={20} width={x(to[1]!) - x(to[0]!)} height={16} />
            {[0, 1].map((end) => (
              <line key={end} x1={x(to[end]!)} y1={36} x2={x(own[end]!)} y2={56} vectorEffect="non-scaling-stroke" />
            ))}
            <rect className="fit-own" x={x(own[0]!)} y={56} width={x(own[1]!) - x(own[0]!)} height={16} />
          </g>
        ))}
      </svg>
      <span className="quiet">{name}</span>
    </div>
  )
}
