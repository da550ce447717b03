import { ActionIcon, TextInput } from '@mantine/core'
import { useDebouncedValue } from '@mantine/hooks'
import { IconX } from '@tabler/icons-react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Production } from '../../api/client'

type Props = { production: Production; onGo: (line: string, take: string) => void; onClose: () => void }

/** Everything that was ever read: by its words, line, reader, folder, date, mark or note. */
export function FindTakes({ production, onGo, onClose }: Props) {
  const [text, setText] = useState('')
  const [asked] = useDebouncedValue(text, 150)
  const [chosen, setChosen] = useState(0)
  const { data, error } = useQuery({
    queryKey: ['find takes', production.id, production.revision, asked],
    queryFn: () =>
      answered(
        client.GET('/api/productions/{production_id}/takes/found/', {
          params: { path: { production_id: production.id }, query: { text: asked } },
        }),
      ),
    placeholderData: (before) => before,
  })
  const takes = data?.takes ?? []
  const at = Math.min(chosen, takes.length - 1)
  const go = (index: number) => {
    const take = takes[index]
    if (take && !take.dropped) onGo(take.line, take.id)
  }
  const keys = (event: React.KeyboardEvent) => {
    if (event.key === 'Escape') onClose()
    else if (event.key === 'ArrowDown') setChosen(Math.min(takes.length - 1, at + 1))
    else if (event.key === 'ArrowUp') setChosen(Math.max(0, at - 1))
    else if (event.key === 'Enter') go(at)
    else return
    event.preventDefault()
  }
  const day = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium' })
  return (
    <search className="takes-find" aria-label="find takes">
      <div className="takes-find-box">
        <TextInput
          size="sm"
          aria-label="find takes"
          placeholder="words, reader, folder, date, keep, “set aside” …"
          autoFocus
          value={text}
          onChange={(event) => {
            setText(event.currentTarget.value)
            setChosen(0)
          }}
          onKeyDown={keys}
        />
        <ActionIcon variant="subtle" color="gray" aria-label="close" onClick={onClose}>
          <IconX size={16} />
        </ActionIcon>
      </div>
      <p className="quiet" role="status">
        {error ? error.message : !data ? 'looking' : countText(data.count, takes.length)}
        {data && data.count > 0 && (
          <a
            className="link-button"
            href={`/api/productions/${production.id}/takes/found.zip?text=${encodeURIComponent(asked)}`}
            download
          >
            take {data.count === 1 ? 'it' : 'all of them'} along (zip)
          </a>
        )}
      </p>
      <ol data-testid="found-takes">
        {takes.map((take, index) => (
          <li key={take.id} aria-current={index === at}>
            <button type="button" onClick={() => go(index)} disabled={take.dropped} title={take.file}>
              <b>
                {take.line_number} · take {take.number}
              </b>
              <span>{take.words || 'no words'}</span>
              <small>
                {[
                  take.reader,
                  take.folder,
                  day.format(new Date(take.made)),
                  take.picked && 'picked',
                  take.mark,
                  take.aside && 'set aside',
                  take.dropped && 'its line was dropped',
                  take.note,
                ]
                  .filter(Boolean)
                  .join(' · ')}
              </small>
            </button>
          </li>
        ))}
      </ol>
    </search>
  )
}

function countText(count: number, shown: number): string {
  if (!count) return 'No take holds all of this. '
  return `${count} ${count === 1 ? 'take' : 'takes'}${shown < count ? `, the newest ${shown} are shown` : ''} · `
}
