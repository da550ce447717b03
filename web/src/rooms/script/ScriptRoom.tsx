import { Button, Menu, NumberInput, Textarea } from '@mantine/core'
import { useDebouncedCallback } from '@mantine/hooks'
import { useState } from 'react'
import type { Line, Production } from '../../api/client'
import { useEdits, useSettings } from '../../api/production'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { useLines, useRoom } from '../../app/room'
import { sayProblem } from '../../app/Said'
import { secondsText } from '../../engine/time'
import { Page, type PageRow } from '../../page/Page'
import { Stage } from '../../page/Stage'
import { BringIn } from './BringIn'
import { FitBar, fitScale } from './FitBar'
import { WordsEditor } from './WordsEditor'
import './script.css'

/** The words: typed or pasted, with a slot in time each, known to fit or not. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const { edit } = useEdits(production.id)
  const { line, go, step } = useLines(production, engine)
  const [editing, setEditing] = useState<string | null>(null)
  const scale = fitScale(production.lines)
  const say = { onError: sayProblem }

  const mark = (kind: 'set_slot_start' | 'set_slot_end') => {
    if (!line) return
    const at = engine.transport.position()
    edit.mutate(
      { kind, line: line.id, at },
      {
        onError: sayProblem,
        onSuccess: () => {
          if (kind === 'set_slot_end') go(production.lines[production.lines.indexOf(line) + 1], false)
        },
      },
    )
  }
  const newLine = () => {
    const known = new Set(production.lines.map((each) => each.id))
    edit.mutate(
      { kind: 'add_lines', after: line?.id ?? null, text: 'new line' },
      {
        onError: sayProblem,
        onSuccess: (patch) => {
          const made = patch.lines.find((each) => !known.has(each.id))
          if (!made) return
          go(made, false)
          setEditing(made.id)
        },
      },
    )
  }
  useKeys({
    up: () => step(-1),
    down: () => step(1),
    slotStart: () => mark('set_slot_start'),
    slotEnd: () => mark('set_slot_end'),
    words: () => line && setEditing(line.id),
    newLine,
    drop: () => line && edit.mutate({ kind: 'drop_line', line: line.id }, say),
  })

  if (!production.lines.length) return <EmptyScript production={production} />
  const row = ({ line: each, on, place }: PageRow) => (
    <>
      <span className="page-number">{each.number}</span>
      {editing === each.id ? (
        <WordsEditor production={production} line={each} onDone={() => setEditing(null)} />
      ) : (
        // biome-ignore lint/a11y/useKeyWithClickEvents: the Enter key edits the chosen line
        <p
          className={`page-words${each.text ? '' : ' none'}`}
          onClick={() => on && setEditing(each.id)}
          title={on ? 'write here' : undefined}
        >
          {each.text || 'no words yet'}
        </p>
      )}
      <FitBar line={each} scale={scale} />
      <small className="page-note">
        {place}
        {production.crossing.includes(each.id) && <span className="crossing"> · begins before the line above ends</span>}
      </small>
    </>
  )
  return (
    <div className="script-room">
      <Page production={production} chosen={line?.id} onChoose={(chosen) => go(chosen)} row={row} rowHeight={74} />
      <aside className="script-side">
        <Stage film={production.film} className="script-stage" />
        <p className="script-keys">
          <Key action="slotStart">starts here</Key> <Key action="slotEnd">ends here</Key> <Key action="play">play</Key>{' '}
          <Key action="words">write</Key> <Key action="newLine">new line</Key>
        </p>
        {line && (
          <AboutLine line={line} onClear={() => edit.mutate({ kind: 'set_slot', line: line.id, slot: null }, say)} />
        )}
        <WholeScript production={production} />
        <More production={production} onLay={(unset_only) => edit.mutate({ kind: 'lay_slots', unset_only }, say)} />
      </aside>
    </div>
  )
}

function AboutLine({ line, onClear }: { line: Line; onClear: () => void }) {
  const many = line.words_over
  return (
    <div className="script-about">
      <b>
        Line {line.number} needs {secondsText(line.needed)} s
        {line.slot ? `, its slot has ${secondsText(line.slot[1]! - line.slot[0]!)} s` : ', and has no slot yet'}
      </b>
      <p className="quiet">
        {many
          ? `About ${many === 1 ? 'one word' : `${many} words`} too many at this pace. Shorten it, or give it a longer slot.`
          : line.slot
            ? `${line.fit_text}.`
            : 'Play the picture and mark where the line starts and ends.'}
      </p>
      {line.slot && (
        <Button size="compact-xs" variant="subtle" color="gray" onClick={onClear}>
          take the slot away
        </Button>
      )}
    </div>
  )
}

/** The script against the programme, and the pace that is assumed. */
function WholeScript({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const [pace, setPace] = useState<number | string>(production.pace)
  const keep = useDebouncedCallback((wanted: number) => {
    if (wanted >= 1 && wanted !== production.pace) settings.mutate({ pace: wanted }, { onError: sayProblem })
  }, 500)
  const needed = production.lines.reduce((sum, line) => sum + line.needed, 0)
  const minutes = (samples: number) => {
    const seconds = Math.round(samples / 48_000)
    return seconds < 60 ? `${seconds} s` : `${Math.floor(seconds / 60)} min ${seconds % 60} s`
  }
  return (
    <div className="script-about">
      <b>
        The whole script needs {minutes(needed)}
        {production.film ? ` of ${minutes(production.film.length)}` : ''}
      </b>
      <div className="script-pace">
        <NumberInput
          aria-label="syllables a second"
          size="xs"
          w={76}
          min={1}
          max={12}
          step={0.1}
          decimalScale={1}
          value={pace}
          onChange={(value) => {
            setPace(value)
            keep(Number(value))
          }}
        />
        <span className="quiet">syllables a second, the stated pace</span>
      </div>
    </div>
  )
}

const FORMS = [
  { form: 'srt', name: 'subtitles, SubRip (.srt)' },
  { form: 'vtt', name: 'subtitles, WebVTT (.vtt)' },
  { form: 'csv', name: 'table with timecodes (.csv)' },
  { form: 'txt', name: 'plain text (.txt)' },
] as const

/** Lay slots, bring in more words, and take them out. */
function More({ production, onLay }: { production: Production; onLay: (unsetOnly: boolean) => void }) {
  const [open, setOpen] = useState(false)
  const unset = production.lines.filter((line) => !line.slot && line.text).length
  return (
    <div className="script-about">
      <div className="dialog-row">
        <Menu>
          <Menu.Target>
            <Button size="compact-sm" variant="default" disabled={!production.film}>
              Lay slots over the shots
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item disabled={!unset} onClick={() => onLay(true)}>
              only the {unset} lines without one
            </Menu.Item>
            <Menu.Item onClick={() => onLay(false)}>all lines anew</Menu.Item>
          </Menu.Dropdown>
        </Menu>
        <Button size="compact-sm" variant="default" onClick={() => setOpen(!open)}>
          Paste more words
        </Button>
        <BringIn production={production} />
        <Menu>
          <Menu.Target>
            <Button size="compact-sm" variant="default">
              Words as a file
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            {FORMS.map(({ form, name }) => (
              <Menu.Item key={form} component="a" href={`/api/productions/${production.id}/script/${form}/`} download>
                {name}
              </Menu.Item>
            ))}
          </Menu.Dropdown>
        </Menu>
      </div>
      {open && <Paste production={production} onDone={() => setOpen(false)} />}
    </div>
  )
}

function Paste({ production, onDone }: { production: Production; onDone?: () => void }) {
  const { edit } = useEdits(production.id)
  const [text, setText] = useState('')
  const count = text.split(/\n/).filter((row) => row.trim()).length
  const lay = Boolean(production.film) && !production.lines.length
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
      <Button type="submit" disabled={!count} loading={edit.isPending} mt={12}>
        {count > 1 ? `Make ${count} lines` : 'Make the line'}
        {lay ? ' and lay them over the shots' : ''}
      </Button>
    </form>
  )
}

function EmptyScript({ production }: { production: Production }) {
  return (
    <div className="script-empty">
      <h2>No words yet</h2>
      <p className="quiet">
        Paste the script or type it, or bring in a file: text, Markdown, a Word document, a table with times, subtitles.
        Each paragraph becomes a numbered line
        {production.film
          ? ', and gets a slot over the shots of the picture.'
          : '. Lines get slots once there is a picture.'}
      </p>
      <BringIn production={production} prominent />
      <Paste production={production} />
    </div>
  )
}
