import { Button } from '@mantine/core'
import { useQuery } from '@tanstack/react-query'
import { useRef, useState } from 'react'
import { answered, client, type Line, type Production } from '../../api/client'
import { useMaking } from '../../api/making'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { NumberField } from '../../app/NumberField'
import { roomOf } from '../../app/room'
import { SAMPLE_RATE, secondsText } from '../../engine/time'

const MOST = 6

/** What a line lasts, and a way to make it last exactly as long as it must: shown before it is done. */
export function Length({ production, line }: { production: Production; line: Line }) {
  const voice = line.voice?.speech ? line.voice : null
  const slot = roomOf(line)
  const [asked, setAsked] = useState<{ line: string; wanted: number } | null>(null)
  const [most, setMost] = useState(MOST)
  const { busy, setLength } = useMaking(production.id, line)
  const box = useRef<HTMLDivElement>(null)
  const now = voice ? voice.speech![1]! - voice.speech![0]! : 0
  const wanted = asked?.line === line.id ? asked.wanted : now
  const query = { voice: voice?.id ?? '', wanted, most: most / 100 }
  const { data, error } = useQuery({
    queryKey: ['length', line.id, voice?.key, voice?.span, wanted, most],
    queryFn: () => answered(client.GET('/api/lines/{line_id}/length/', { params: { path: { line_id: line.id }, query } })),
    enabled: Boolean(voice) && wanted !== now,
    retry: false,
  })
  useKeys({ length: () => box.current?.querySelector('input')?.select() })
  if (!voice) return null
  const make = () => void setLength(voice.id, wanted, most / 100)
  const there = wanted === now
  return (
    <section className="polish-length" aria-label="length" data-testid="length">
      <h2>
        Length <Key action="length" />
      </h2>
      <p>
        Line {line.number} lasts <b className="tc">{secondsText(now, 3)} s</b> from its first word to its last
        {slot !== null && (
          <>
            ; {line.slot ? 'its slot lasts' : 'it is to last'} <b className="tc">{secondsText(slot, 3)} s</b>
          </>
        )}
        .
      </p>
      <div className="polish-length-asked" ref={box}>
        <NumberField
          label="make it last, s"
          value={Number(secondsText(wanted, 3))}
          min={0.1}
          max={86_400}
          step={0.1}
          onSet={(seconds) =>
            setAsked({ line: line.id, wanted: Math.max(SAMPLE_RATE / 10, Math.round(seconds * SAMPLE_RATE)) })
          }
        />
        <NumberField
          label="stretch, % at most"
          value={most}
          min={0}
          max={30}
          onSet={(value) => setMost(Math.max(0, Math.min(30, value)))}
        />
        {slot !== null && slot !== wanted && (
          <Button size="xs" variant="default" onClick={() => setAsked({ line: line.id, wanted: slot })}>
            as long as {line.slot ? 'its slot' : 'wanted'}
          </Button>
        )}
        <Button size="xs" onClick={make} disabled={there || !data || Boolean(data.refused)} loading={busy}>
          Make it so
        </Button>
      </div>
      <p className={data?.refused ? 'polish-refused' : 'quiet'} role={error ? 'alert' : undefined}>
        {error ? error.message : !there && data ? (data.refused ? `${data.refused}.` : consequence(data)) : ' '}
      </p>
    </section>
  )
}

/** What would be done, in words. */
function consequence({ pauses, stretch }: { pauses: number; stretch: number }): string {
  const parts = []
  if (Math.abs(pauses) >= SAMPLE_RATE / 200)
    parts.push(`its pauses get ${secondsText(Math.abs(pauses), 2)} s ${pauses < 0 ? 'shorter' : 'longer'}`)
  if (Math.abs(stretch) >= 0.0005)
    parts.push(`its phrases are read ${Math.abs(stretch * 100).toFixed(1)} % ${stretch < 0 ? 'faster' : 'slower'}`)
  return parts.length ? `Then ${parts.join(', and ')}.` : 'Then nothing changes that can be heard.'
}
