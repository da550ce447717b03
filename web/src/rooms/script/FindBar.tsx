import { ActionIcon, Button, Checkbox, TextInput } from '@mantine/core'
import { useDebouncedValue } from '@mantine/hooks'
import { IconX } from '@tabler/icons-react'
import { useQuery } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Production } from '../../api/client'
import { useEdits } from '../../api/production'
import { sayProblem } from '../../app/messages'

type Found = Map<string, [number, number][]>
type Wanted = { text: string; match_case: boolean; whole_words: boolean }

/** What is looked for, and where it stands, line by line. */
export function useFind(production: Production, open: boolean) {
  const [wanted, setWanted] = useState<Wanted>({ text: '', match_case: false, whole_words: false })
  const [asked] = useDebouncedValue(wanted, 150)
  const look = useQuery({
    queryKey: ['search', production.id, production.revision, asked],
    enabled: open && asked.text.trim() !== '',
    placeholderData: (before) => before,
    queryFn: () =>
      answered(
        client.GET('/api/productions/{production_id}/script-search/', {
          params: { path: { production_id: production.id }, query: asked },
        }),
      ),
  })
  const rows = open && asked.text.trim() ? (look.data ?? []) : []
  const found: Found = new Map(rows.map(({ line, spans }) => [line, spans as [number, number][]]))
  return { wanted, setWanted, found, error: look.error }
}

type Bar = {
  production: Production
  find: ReturnType<typeof useFind>
  chosen: string | undefined
  onGo: (line: string) => void
  onClose: () => void
}

/** Find and replace over the page; Enter goes to the next line in which the words stand. */
export function FindBar({ production, find, chosen, onGo, onClose }: Bar) {
  const { edit } = useEdits(production.id)
  const [by, setBy] = useState('')
  const { wanted, setWanted, found, error } = find
  const places = [...found.values()].reduce((sum, spans) => sum + spans.length, 0)
  const step = (back: boolean) => {
    const lines = production.lines.filter((line) => found.has(line.id)).map((line) => line.id)
    if (!lines.length) return
    const at = production.lines.findIndex((line) => line.id === chosen)
    const order = (id: string) => production.lines.findIndex((line) => line.id === id)
    const next = back ? lines.filter((id) => order(id) < at).at(-1) : lines.find((id) => order(id) > at)
    onGo(next ?? (back ? lines.at(-1)! : lines[0]!))
  }
  const swap = (only: string[] | null) =>
    edit.mutate(
      { kind: 'replace_words', ...wanted, by, only },
      { onError: sayProblem, onSuccess: () => only && step(false) },
    )
  const keys = (event: React.KeyboardEvent) => {
    if (event.key === 'Escape') onClose()
    else if (event.key === 'Enter') step(event.shiftKey)
    else return
    event.preventDefault()
  }
  return (
    <search className="find-bar">
      <TextInput
        size="xs"
        aria-label="find"
        placeholder="find"
        autoFocus
        value={wanted.text}
        onChange={(event) => setWanted({ ...wanted, text: event.currentTarget.value })}
        onKeyDown={keys}
      />
      <span className="find-count" role="status">
        {error
          ? error.message
          : wanted.text.trim()
            ? `${places} place${places === 1 ? '' : 's'} in ${found.size} line${found.size === 1 ? '' : 's'}`
            : ''}
      </span>
      <TextInput
        size="xs"
        aria-label="write instead"
        placeholder="write instead"
        value={by}
        onChange={(event) => setBy(event.currentTarget.value)}
        onKeyDown={keys}
      />
      <Button
        size="compact-sm"
        variant="default"
        disabled={!chosen || !found.has(chosen)}
        onClick={() => chosen && swap([chosen])}
      >
        In this line
      </Button>
      <Button size="compact-sm" variant="default" disabled={!places} onClick={() => swap(null)}>
        Everywhere
      </Button>
      <Checkbox
        size="xs"
        label="Aa"
        title="capitals and small letters as typed"
        aria-label="capitals and small letters as typed"
        checked={wanted.match_case}
        onChange={(event) => setWanted({ ...wanted, match_case: event.currentTarget.checked })}
      />
      <Checkbox
        size="xs"
        label="whole words"
        checked={wanted.whole_words}
        onChange={(event) => setWanted({ ...wanted, whole_words: event.currentTarget.checked })}
      />
      <ActionIcon variant="subtle" color="gray" aria-label="close" onClick={onClose}>
        <IconX size={16} />
      </ActionIcon>
    </search>
  )
}
