import { Button, Textarea } from '@mantine/core'
import { useState } from 'react'
import type { Production } from '../../api/client'
import { useEdits } from '../../api/production'
import { sayProblem } from '../../app/messages'

/** Words typed or pasted, one line a paragraph. */
export function Paste({ production, onDone }: { production: Production; onDone?: () => void }) {
  const { edit } = useEdits(production.id)
  const [text, setText] = useState('')
  const rows = text.split(/\n/).flatMap((row) => row.trim().replace(/\s+/g, ' ') || [])
  const count = rows.length
  const there = new Set(production.lines.map((line) => line.text))
  const again = count > 0 && rows.every((row) => there.has(row))
  const lay = production.picture.clips.length > 0 && !production.lines.length
  const make = () =>
    edit.mutate(
      { kind: 'add_lines', text },
      {
        onSuccess: () => {
          setText('')
          onDone?.()
          if (lay) edit.mutate({ kind: 'lay_slots', unset_only: true }, { onError: sayProblem })
        },
      },
    )
  return (
    <form
      className="script-paste"
      onSubmit={(event) => {
        event.preventDefault()
        make()
      }}
    >
      <Textarea
        label="Words, one line a paragraph"
        aria-label="words, one line a paragraph"
        classNames={{ input: 'script-paste-input' }}
        autosize
        minRows={onDone ? 4 : 10}
        maxRows={onDone ? 10 : 16}
        value={text}
        onChange={(event) => setText(event.currentTarget.value)}
        error={edit.error?.message}
      />
      {again && (
        <p className="quiet" role="status">
          {count > 1 ? 'All of these words are' : 'These words are'} in the script already: they would stand in it twice.
        </p>
      )}
      <Button type="submit" disabled={!count} loading={edit.isPending} mt={12}>
        {count > 1 ? `Make ${count} lines` : 'Make the line'}
        {lay ? ' and lay them over the shots' : ''}
      </Button>
    </form>
  )
}
