import { useQuery } from '@tanstack/react-query'
import { Link } from 'react-router'
import { answered, client, type Edit, type Line, type Production, type Take } from '../../api/client'
import { inTurn } from '../../api/production'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { lengthening } from '../../app/lengthening'
import { SAMPLE_RATE, secondsText } from '../../engine/time'

type Props = {
  production: Production
  line: Line
  take: Take
  busy: boolean
  /** Make it end with its slot, in so many samples from its first word on. */
  onShorten: (wanted: number) => void
  onEdit: (edit: Edit) => Promise<unknown>
}

/** What can be done with a reading that is longer than its slot, or than it is wanted, each with its consequence. */
export function TooLong({ production, line, take, busy, onShorten, onEdit }: Props) {
  const over = take.past_end ?? 0
  const slot = line.slot
  const speech = take.voice?.speech
  const wanted = slot && speech ? slot[1]! - speech[0]! : (line.wanted_length ?? 0)
  const query = { voice: take.id, wanted }
  const { data, error } = useQuery({
    queryKey: ['length', line.id, take.voice?.key, take.voice?.span, wanted, null],
    queryFn: () => answered(client.GET('/api/lines/{line_id}/length/', { params: { path: { line_id: line.id }, query } })),
    enabled: wanted > SAMPLE_RATE / 10,
    retry: false,
  })
  // What rests can wait: a still, a page of slides, a card.
  const clip = slot && production.picture.clips.find(({ span }) => span[0]! < slot[1]! && slot[1]! <= span[1]!)
  const rests = clip && clip.kind !== 'film' ? clip : null
  const can = data && !data.refused && !busy
  const shorten = () => can && onShorten(wanted)
  useKeys({ shorten })
  if (!wanted) return null
  const wait = () =>
    rests &&
    slot &&
    inTurn(async () => {
      await onEdit({
        kind: 'trim_clip',
        clip: rests.id,
        edge: 'end',
        at: rests.span[1]! + over,
        close: true,
        follow: true,
      })
      await onEdit({ kind: 'set_slot_end', line: line.id, at: slot[1]! + over })
    })
  return (
    <p className="takes-open" data-testid="too-long">
      {secondsText(over, 2)} s longer than {slot ? 'its slot' : 'wanted'}.{' '}
      {can ? (
        <>
          <button type="button" onClick={shorten}>
            Shorten it
          </button>
          <Key action="shorten">{means(data)}</Key>{' '}
        </>
      ) : (
        (data?.refused || error) && (
          <span className="quiet">Too long to be shortened: {data?.refused || error?.message}. </span>
        )
      )}
      {rests && (
        <button type="button" onClick={wait}>
          Let the picture wait
        </button>
      )}
      <Link to="../booth">Read it again</Link>{' '}
      <span className="quiet">or let it {slot ? 'run over' : 'last so long'}.</span>
    </p>
  )
}

/** By what a line gets shorter. */
function means(change: { pauses: number; stretch: number }): string {
  const { pauses, phrases } = lengthening(change)
  return [pauses && `pauses ${pauses}`, phrases && `phrases ${phrases}`].filter(Boolean).join(', ')
}
