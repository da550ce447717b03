import { Button } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useLayoutEffect, useRef, useState } from 'react'
import { type Edit, type Line, type Patch, Problem, type Production } from '../../api/client'
import { knownProduction, useEdits } from '../../api/production'
import { useEngine } from '../../app/engine'
import { type ActionName, keyName, keyOf } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { scoreOf, voicesOf } from '../../app/room'
import { wordAt } from '../../page/segments'
import { dropDraft, keepDraft, keptDraft, sendDraft } from './draft'

type Editor = {
  production: Production
  line: Line
  /** Where the caret stands at first; null for the end. */
  caret: number | null
  onDone: () => void
  /** Enter: the next line, or a new one. */
  onNext: () => void
  /** Go on in another line, with the caret at a character. */
  onGo: (line: string, caret: number) => void
}

/** A line's words, edited in place. What was typed is never lost: a refusal or another window's change keeps it here. */
export function WordsEditor({ production, line, caret, onDone, onNext, onGo }: Editor) {
  const queries = useQueryClient()
  // An edit that led here is known before it is drawn.
  const [now] = useState(() => knownProduction(queries, production.id) ?? production)
  const [draft] = useState(() => keptDraft(line.id))
  const [text, setText] = useState(() => draft?.text ?? now.lines.find((each) => each.id === line.id)?.text ?? line.text)
  /** The revision that this editor knows: where it began, and its own edits since. */
  const known = useRef(draft?.revision ?? now.revision)
  const [problem, setProblem] = useState<Problem | Error | null>(null)
  const { edit } = useEdits(production.id)
  const engine = useEngine()
  const area = useRef<HTMLTextAreaElement>(null)
  const left = useRef(false)
  // biome-ignore lint/correctness/useExhaustiveDependencies: the height follows the text
  useLayoutEffect(() => {
    const element = area.current!
    element.style.height = '0'
    element.style.height = `${element.scrollHeight}px`
  }, [text])
  // biome-ignore lint/correctness/useExhaustiveDependencies: only when it opens
  useLayoutEffect(() => {
    const element = area.current!
    element.focus()
    const at = Math.min(caret ?? element.value.length, element.value.length)
    element.setSelectionRange(at, at)
  }, [])

  const own = (made: Edit, then: (patch: Patch) => void = () => {}) =>
    // Followed to its end also when the room is left meanwhile.
    void edit.mutateAsync({ ...made, revision: known.current }).then((patch) => {
      known.current = patch.revision
      then(patch)
    }, refuse)
  const refuse = (refused: Problem | Error) => {
    left.current = false
    sendDraft(false)
    setProblem(refused)
    if (!area.current) sayProblem(refused)
  }
  /** Keep what was typed, then go on; nothing is sent when nothing was changed. */
  const save = (then: () => void) => {
    const [first = '', ...more] = text.split(/\n+/).filter((row) => row.trim())
    const leave = () => {
      left.current = true
      dropDraft()
      then()
    }
    if (first.trim() === line.text && !more.length) return leave()
    left.current = true
    sendDraft(true)
    own({ kind: 'set_words', line: line.id, text: first }, () =>
      more.length ? own({ kind: 'add_lines', after: line.id, text: more.join('\n') }, leave) : leave(),
    )
  }
  const next = () => {
    if (text.trim() || line.text) return save(onNext)
    // Enter in a new line that stayed empty ends the writing: the line goes again.
    left.current = true
    dropDraft()
    own({ kind: 'drop_line', line: line.id }, onDone)
  }
  const part = () => {
    const at = area.current!.selectionStart
    if (!text.slice(0, at).trim() || !text.slice(at).trim()) return
    const before = new Set(production.lines.map((each) => each.id))
    // White space is folded when words are kept: the place is counted in the folded text.
    const folded = text.slice(0, at).replace(/\s+/g, ' ').trimStart().length
    save(() =>
      own({ kind: 'split_line', line: line.id, at: folded }, (patch) => {
        const made = patch.lines.find((each) => !before.has(each.id))
        if (made) onGo(made.id, 0)
        else onDone()
      }),
    )
  }
  const joinUp = () => {
    const above = production.lines[production.lines.findIndex((each) => each.id === line.id) - 1]
    if (!above) return
    save(() => own({ kind: 'join_lines', line: above.id }, () => onGo(above.id, above.text.length + 1)))
  }
  const stress = () => {
    const word = wordAt(text, area.current!.selectionStart)
    if (word < 0) return
    save(() => {
      left.current = false
      const marked = line.stress.includes(word) ? line.stress.filter((n) => n !== word) : [...line.stress, word]
      own({ kind: 'set_stress', line: line.id, stress: marked })
    })
  }
  const slot = (kind: 'set_slot_start' | 'set_slot_end') => own({ kind, line: line.id, at: engine.transport.position() })
  const keys: Partial<Record<ActionName, () => void>> = {
    part,
    stress,
    writeStart: () => slot('set_slot_start'),
    writeEnd: () => slot('set_slot_end'),
    writePlay: () => {
      const { transport } = engine
      if (transport.state.value.playing) transport.stop()
      else {
        const { score, ducks, ducking } = scoreOf(engine, production, voicesOf(production))
        void transport.play(transport.state.value.position, { score, ducks, ducking, follow: false })
      }
    },
  }
  const press = (event: React.KeyboardEvent<HTMLTextAreaElement>) => {
    const { selectionStart: from, selectionEnd: to } = event.currentTarget
    const name = keyName(event)
    const action = (Object.keys(keys) as ActionName[]).find((each) => keyOf(each) === name)
    const does =
      action !== undefined
        ? keys[action]
        : name === 'Enter'
          ? next
          : name === 'Escape'
            ? () => save(onDone)
            : name === 'Backspace' && from === 0 && to === 0
              ? joinUp
              : null
    if (!does) return
    event.preventDefault()
    event.stopPropagation()
    does()
  }
  const conflict = problem instanceof Problem && problem.status === 409
  return (
    <div className="words-editor">
      <textarea
        ref={area}
        aria-label={`words of line ${line.number}`}
        value={text}
        rows={1}
        placeholder="what is said here"
        onChange={(event) => {
          left.current = false
          setText(event.currentTarget.value)
          keepDraft({ line: line.id, text: event.currentTarget.value, revision: known.current })
        }}
        onKeyDown={press}
        onBlur={(event) =>
          !problem &&
          !left.current &&
          !event.relatedTarget?.closest?.('.words-editor') &&
          (text.trim() || line.text ? save(onDone) : next())
        }
      />
      {problem && (
        <div className="words-problem" role="alert">
          <p>{problem.message}</p>
          {conflict ? (
            <>
              <p className="quiet">Changed meanwhile: {problem.changes.join(', ')}. There it says now:</p>
              <p className="words-theirs">{line.text || '(no words)'}</p>
              <div className="dialog-row">
                <Button
                  size="compact-sm"
                  onClick={() => {
                    known.current = production.revision
                    save(onDone)
                  }}
                >
                  Write mine
                </Button>
                <Button
                  size="compact-sm"
                  variant="default"
                  onClick={() => {
                    dropDraft()
                    onDone()
                  }}
                >
                  Leave theirs
                </Button>
              </div>
            </>
          ) : (
            <Button size="compact-sm" variant="default" onClick={() => setProblem(null)}>
              Understood
            </Button>
          )}
        </div>
      )}
    </div>
  )
}
