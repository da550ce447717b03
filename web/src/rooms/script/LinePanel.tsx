import { Button, Select, Textarea } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import type { Line, Production } from '../../api/client'
import { useEdits } from '../../api/production'
import { Key } from '../../app/Key'
import { sayProblem } from '../../app/messages'
import { NumberField } from '../../app/NumberField'
import { SAMPLE_RATE, secondsText } from '../../engine/time'

/** The chosen line: whether it fits, who reads it, and notes that only the reader sees. */
export function LinePanel({ production, line, writing }: { production: Production; line: Line; writing: number }) {
  const { edit } = useEdits(production.id)
  const say = { onError: sayProblem }
  const many = line.words_over
  const wanted = (length: number | null) => edit.mutate({ kind: 'set_wanted_length', line: line.id, length }, say)
  const own = production.readers.find((reader) => reader.id === production.reader)
  return (
    <div className="panel">
      <b>
        Line {line.number} needs {secondsText(line.needed)} s
        {line.slot ? `, its slot has ${secondsText(line.slot[1]! - line.slot[0]!)} s` : ''}
      </b>
      <p className="quiet">
        {many
          ? `About ${many === 1 ? 'one word' : `${many} words`} too many at this pace. Shorten it, or give it ${line.slot ? 'a longer slot' : 'more time'}.`
          : line.slot
            ? `${line.fit_text}.`
            : line.wild
              ? `Wild: it is read without picture and wants no slot${line.wanted_length ? `; ${line.fit_text}` : ''}.`
              : 'No slot yet: play the picture and mark where the line starts and ends.'}
      </p>
      <div className="panel-row">
        {line.slot && (
          <Button
            size="compact-xs"
            variant="subtle"
            color="gray"
            onClick={() => edit.mutate({ kind: 'set_slot', line: line.id, slot: null }, say)}
          >
            take the slot away
          </Button>
        )}
        <Button
          size="compact-xs"
          variant="subtle"
          color="gray"
          onClick={() => edit.mutate({ kind: 'set_wild', line: line.id, wild: !line.wild }, say)}
        >
          {line.wild ? 'not wild' : 'make it wild'}
        </Button>
        <Key action="wild" />
      </div>
      {line.wild && (
        <NumberField
          label="wanted length, s"
          placeholder="as long as it takes"
          value={line.wanted_length && Number(secondsText(line.wanted_length, 2))}
          min={0.2}
          max={14_400}
          onSet={(seconds) => wanted(Math.round(seconds * SAMPLE_RATE))}
          onClear={() => wanted(null)}
        />
      )}
      <Notes key={line.id} production={production} line={line} writing={writing} />
      {production.readers.length > 1 && (
        <Select
          size="xs"
          label="read by"
          data={[
            { value: '', label: `${own?.name ?? 'the reader'} (the production’s reader)` },
            ...production.readers
              .filter((reader) => reader.id !== production.reader)
              .map((reader) => ({ value: reader.id, label: reader.name })),
          ]}
          value={line.reader === production.reader ? '' : (line.reader ?? '')}
          allowDeselect={false}
          onChange={(value) => edit.mutate({ kind: 'set_reader', only: [line.id], reader: value || null }, say)}
        />
      )}
      <p className="script-keys">
        <Key action="slotStart">starts here</Key> <Key action="slotEnd">ends here</Key> <Key action="words">write</Key>{' '}
        <Key action="newLine">new line</Key> <Key action="part">part at the caret</Key> <Key action="join">join</Key>{' '}
        <Key action="stress">stress a word</Key>
      </p>
    </div>
  )
}

/** Kept when the field is left; nothing is sent while nothing was changed. */
function Notes({ production, line, writing }: { production: Production; line: Line; writing: number }) {
  const { edit } = useEdits(production.id)
  const [text, setText] = useState(line.notes)
  const [shown, setShown] = useState(line.notes)
  const [seen] = useState(writing)
  const area = useRef<HTMLTextAreaElement>(null)
  if (line.notes !== shown) {
    // Undo, or another window.
    setShown(line.notes)
    setText(line.notes)
  }
  useEffect(() => {
    if (writing !== seen) area.current?.focus()
  }, [writing, seen])
  const keep = () => {
    if (text.trim() === line.notes) return
    edit.mutate({ kind: 'set_notes', line: line.id, notes: text }, { onError: sayProblem })
  }
  return (
    <Textarea
      ref={area}
      size="sm"
      label={
        <>
          notes for the reader <Key action="notes" />
        </>
      }
      aria-label={`notes for the reader of line ${line.number}`}
      placeholder="tone, stress, what the picture shows; nobody else sees them"
      autosize
      minRows={2}
      maxRows={5}
      value={text}
      onChange={(event) => setText(event.currentTarget.value)}
      onBlur={keep}
      onKeyDown={(event) => {
        if (event.key === 'Escape') event.currentTarget.blur()
      }}
    />
  )
}
