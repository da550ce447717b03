import { Button } from '@mantine/core'
import { useLayoutEffect, useRef, useState } from 'react'
import { type Line, Problem, type Production } from '../../api/client'
import { useEdits } from '../../api/production'

/** A line's words, edited in place. What was typed is never lost: a refusal or another window's change keeps it here. */
export function WordsEditor({ production, line, onDone }: { production: Production; line: Line; onDone: () => void }) {
  const [text, setText] = useState(line.text)
  const [begun] = useState(production.revision)
  const [problem, setProblem] = useState<Problem | Error | null>(null)
  const { edit } = useEdits(production.id)
  const area = useRef<HTMLTextAreaElement>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: the height follows the text
  useLayoutEffect(() => {
    const element = area.current!
    element.style.height = '0'
    element.style.height = `${element.scrollHeight}px`
  }, [text])
  useLayoutEffect(() => {
    const element = area.current!
    element.focus()
    element.setSelectionRange(element.value.length, element.value.length)
  }, [])

  const save = (revision?: number) => {
    const [first = '', ...more] = text.split(/\n+/).filter((row) => row.trim())
    if (first.trim() === line.text && !more.length) return onDone()
    edit.mutate(
      { kind: 'set_words', line: line.id, text: first, revision },
      {
        onSuccess: () => {
          if (!more.length) return onDone()
          edit.mutate(
            { kind: 'add_lines', after: line.id, text: more.join('\n') },
            { onSuccess: onDone, onError: setProblem },
          )
        },
        onError: setProblem,
      },
    )
  }
  const conflict = problem instanceof Problem && problem.status === 409
  return (
    <div className="words-editor">
      <textarea
        ref={area}
        aria-label={`words of line ${line.number}`}
        value={text}
        rows={1}
        onChange={(event) => setText(event.currentTarget.value)}
        onKeyDown={(event) => {
          if (event.key === 'Enter' && !event.shiftKey) {
            event.preventDefault()
            save(begun)
          } else if (event.key === 'Escape') {
            event.stopPropagation()
            onDone()
          }
        }}
        onBlur={(event) => !problem && !event.relatedTarget?.closest?.('.words-editor') && save(begun)}
      />
      {problem && (
        <div className="words-problem" role="alert">
          <p>{problem.message}</p>
          {conflict && (
            <>
              <p className="quiet">Changed meanwhile: {problem.changes.join(', ')}. There it says now:</p>
              <p className="words-theirs">{line.text || '(no words)'}</p>
              <div className="dialog-row">
                <Button size="compact-sm" onClick={() => save(production.revision)}>
                  Write mine
                </Button>
                <Button size="compact-sm" variant="default" onClick={onDone}>
                  Leave theirs
                </Button>
              </div>
            </>
          )}
        </div>
      )}
    </div>
  )
}
