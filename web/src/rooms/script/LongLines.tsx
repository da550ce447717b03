import { Button, Modal, NumberInput } from '@mantine/core'
import { useDebouncedValue } from '@mantine/hooks'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Production } from '../../api/client'
import { useEdits } from '../../api/production'
import { sayProblem } from '../../app/messages'

const SHOWN = 100
export const LONGEST = 220

/** Long lines parted where a reader would breathe: what each would become is shown first. */
export function LongLines({ production }: { production: Production }) {
  const [open, setOpen] = useState(false)
  const [longest, setLongest] = useState<number | string>(LONGEST)
  const [asked] = useDebouncedValue(Number(longest), 250)
  const { edit } = useEdits(production.id)
  const usable = asked >= 20 && asked <= 4000
  const look = useQuery({
    queryKey: ['split', production.id, production.revision, asked],
    enabled: open && usable,
    queryFn: () =>
      answered(
        client.GET('/api/productions/{production_id}/script-split/', {
          params: { path: { production_id: production.id }, query: { longest: asked } },
        }),
      ),
  })
  const parted = look.data?.parted ?? []
  const kept = look.data?.kept ?? 0
  const make = () =>
    edit.mutate({ kind: 'split_long', longest: asked }, { onError: sayProblem, onSuccess: () => setOpen(false) })
  return (
    <>
      <Button size="compact-sm" variant="default" onClick={() => setOpen(true)}>
        Part long lines
      </Button>
      <Modal opened={open} onClose={() => setOpen(false)} title="Part long lines where a reader would breathe" size="xl">
        <div className="bring-in-preview">
          <NumberInput
            label="letters in a line, at most"
            size="xs"
            w={180}
            min={20}
            max={4000}
            step={20}
            value={longest}
            onChange={setLongest}
            data-autofocus
          />
          <p className="quiet">
            {look.error
              ? look.error.message
              : parted.length
                ? `${parted.length === 1 ? 'One line becomes' : `${parted.length} lines become`} ${parted.reduce((sum, { parts }) => sum + parts.length, 0)}. Slots are shared by the lengths of the words.`
                : usable
                  ? 'No line is that long.'
                  : 'From 20 to 4000 letters are possible.'}
            {kept > 0 && ` ${kept === 1 ? 'One long line has takes and stays' : `${kept} long lines have takes and stay`}.`}
          </p>
          <ol className="bring-in-lines">
            {parted.slice(0, SHOWN).map(({ line, number, parts }) => (
              <li key={line}>
                <small className="tc">{number}</small>
                <span className="parted">
                  {parts.map((part) => (
                    <span key={part}>{part}</span>
                  ))}
                </span>
              </li>
            ))}
          </ol>
          {parted.length > SHOWN && <p className="quiet">… and {parted.length - SHOWN} more</p>}
          <div className="dialog-row">
            <Button onClick={make} disabled={!parted.length} loading={edit.isPending}>
              Part {parted.length === 1 ? 'this line' : 'these lines'}
            </Button>
            <Button variant="default" onClick={() => setOpen(false)}>
              Leave them
            </Button>
          </div>
        </div>
      </Modal>
    </>
  )
}
