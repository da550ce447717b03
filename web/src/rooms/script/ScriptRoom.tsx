import { SegmentedControl } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import type { Line, Production } from '../../api/client'
import { inTurn, knownProduction, refreshProduction, useEdits } from '../../api/production'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayNote, sayProblem } from '../../app/messages'
import { otherReader, useLines, useRoom } from '../../app/room'
import { useSelection } from '../../app/selection'
import { Page, type PageRow } from '../../page/Page'
import { Stage } from '../../page/Stage'
import { sizedBy, usePageSettings } from '../../page/settings'
import { Words } from '../../page/Words'
import { BringIn } from './BringIn'
import { keptDraft } from './draft'
import { FindBar, useFind } from './FindBar'
import { FitBar, fitScale } from './FitBar'
import { LinePanel } from './LinePanel'
import { PagePanel } from './PagePanel'
import { Paste } from './Paste'
import { ScriptPanel } from './ScriptPanel'
import { WordsEditor } from './WordsEditor'
import './script.css'

type Editing = { line: string; caret: number | null; fresh: boolean }

/** The words: typed or pasted, with a slot in time each, known to fit or not. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const queries = useQueryClient()
  const { edit } = useEdits(production.id)
  const { line, lines, go, step } = useLines(production, engine)
  const [editing, setEditing] = useState<Editing | null>(() => {
    const draft = keptDraft()
    const known = draft && production.lines.some((each) => each.id === draft.line)
    return known ? { line: draft.line, caret: null, fresh: false } : null
  })
  const [panel, setPanel] = useState('line')
  const [finding, setFinding] = useState(false)
  const [notes, setNotes] = useState(0)
  const find = useFind(production, finding)
  const page = usePageSettings()
  const setHolds = useSelection((now) => now.setHolds)
  const scale = fitScale(production.lines)
  const say = { onError: sayProblem }

  /** What becomes of the takes of a line that was dropped. */
  function sayDropped({ number, tally }: Line) {
    if (!tally.length) return
    const takes = tally.length === 1 ? 'its take stays' : `its ${tally.length} takes stay`
    sayNote(`Line ${number} is dropped; ${takes} on the disk. Undo brings all of it back.`)
  }

  useEffect(() => {
    setHolds('slots')
    return () => setHolds(null)
  }, [setHolds])
  // biome-ignore lint/correctness/useExhaustiveDependencies: words that were being typed are in sight at first
  useEffect(() => {
    if (editing) useSelection.getState().choose(editing.line)
  }, [])
  useEffect(() => {
    // Takes read since then may have taught another pace.
    refreshProduction(queries, production.id)
  }, [queries, production.id])

  const mark = (kind: 'set_slot_start' | 'set_slot_end') => {
    if (!line) return
    const at = engine.transport.position()
    edit.mutate(
      { kind, line: line.id, at },
      {
        onError: sayProblem,
        onSuccess: () => {
          if (kind === 'set_slot_end') go(lines[lines.indexOf(line) + 1], false)
        },
      },
    )
  }
  const newLine = (after: string | null) => {
    const known = new Set(production.lines.map((each) => each.id))
    edit.mutate(
      { kind: 'new_line', after },
      {
        onError: sayProblem,
        onSuccess: (patch) => {
          const made = patch.lines.find((each) => !known.has(each.id))
          if (!made) return
          go(made, false)
          setEditing({ line: made.id, caret: null, fresh: true })
        },
      },
    )
  }
  const write = (id: string, caret: number | null = null) => {
    useSelection.getState().choose(id)
    setEditing({ line: id, caret, fresh: false })
  }
  /** Enter in a line: one just made is followed by another, as is the last; else the next one is chosen. */
  const goOn = (id: string, fresh: boolean) => {
    setEditing(null)
    const at = lines.findIndex((each) => each.id === id)
    if (fresh || at === lines.length - 1) newLine(id)
    else go(lines[at + 1], false)
  }
  /** The chosen line before the one above it, or behind the one below. */
  const move = (by: number) => {
    const own = line?.id
    inTurn(() => {
      const order = (knownProduction(queries, production.id) ?? production).lines
      const place = order.findIndex(({ id }) => id === own)
      if (!own || place < 0 || !order[place + by]) return undefined
      const before = order[by < 0 ? place + by : place + by + 1]?.id ?? null
      return edit.mutateAsync({ kind: 'move_line', line: own, before }).catch(sayProblem)
    })
  }
  useKeys({
    earlier: () => move(-1),
    later: () => move(1),
    up: () => step(-1),
    down: () => step(1),
    slotStart: () => mark('set_slot_start'),
    slotEnd: () => mark('set_slot_end'),
    words: () => line && write(line.id),
    newLine: () => newLine(line?.id ?? null),
    join: () => line && edit.mutate({ kind: 'join_lines', line: line.id }, say),
    drop: () => line && edit.mutate({ kind: 'drop_line', line: line.id }, { ...say, onSuccess: () => sayDropped(line) }),
    noSlot: () => line?.slot && edit.mutate({ kind: 'set_slot', line: line.id, slot: null }, say),
    wild: () => line && edit.mutate({ kind: 'set_wild', line: line.id, wild: !line.wild }, say),
    notes: () => {
      setPanel('line')
      setNotes(notes + 1)
    },
    spread: () => edit.mutate({ kind: 'spread_slots' }, say),
    mend: () => edit.mutate({ kind: 'mend_slots' }, say),
    find: () => setFinding(true),
    larger: () => page.set({ size: sizedBy(page.size, 2) }),
    smaller: () => page.set({ size: sizedBy(page.size, -2) }),
  })

  if (!production.lines.length) return <EmptyScript production={production} onType={() => newLine(null)} />
  const row = ({ line: each, on, place }: PageRow) => (
    <>
      <span className="page-number">{each.number}</span>
      {editing?.line === each.id ? (
        <WordsEditor
          key={each.id}
          production={production}
          line={each}
          caret={editing.caret}
          onDone={() => setEditing(null)}
          onNext={() => goOn(each.id, editing.fresh)}
          onGo={write}
        />
      ) : (
        // biome-ignore lint/a11y/useKeyWithClickEvents: the Enter key edits the chosen line
        <p
          className={`page-words${each.text ? '' : ' none'}`}
          onClick={() => on && write(each.id)}
          title={on ? 'write here' : undefined}
        >
          {each.text ? <Words line={each} found={find.found.get(each.id)} /> : 'no words yet'}
        </p>
      )}
      <FitBar line={each} scale={scale} />
      {page.notes && each.notes && <p className="page-notes">{each.notes}</p>}
      <small className="page-note">
        {place}
        {otherReader(production, each) && ` · read by ${otherReader(production, each)}`}
        {production.crossing.includes(each.id) && <span className="crossing"> · begins before the line above ends</span>}
      </small>
    </>
  )
  return (
    <div className="script-room" data-picture={page.picture}>
      {page.picture === 'above' && <Stage production={production} className="script-stage" />}
      <div className="script-page">
        {finding && (
          <FindBar
            production={production}
            find={find}
            chosen={line?.id}
            onGo={(id) => go(production.lines.find((each) => each.id === id))}
            onClose={() => setFinding(false)}
          />
        )}
        <Page production={production} chosen={line?.id} onChoose={(chosen) => go(chosen)} row={row} rowHeight={74} />
      </div>
      <aside className="script-side" data-panel={panel} data-film={production.picture.clips.length ? 'there' : 'none'}>
        {page.picture === 'beside' && <Stage production={production} className="script-stage" />}
        <div className="script-tabs">
          <SegmentedControl
            fullWidth
            size="xs"
            aria-label="what is set here"
            data={[
              { value: 'line', label: 'Line' },
              { value: 'script', label: 'Script' },
              { value: 'page', label: 'Page' },
            ]}
            value={panel}
            onChange={setPanel}
          />
          <Key action="find">find</Key>
        </div>
        {panel === 'line' && line && <LinePanel production={production} line={line} writing={notes} />}
        {panel === 'script' && <ScriptPanel production={production} />}
        {panel === 'page' && <PagePanel production={production} />}
      </aside>
    </div>
  )
}

function EmptyScript({ production, onType }: { production: Production; onType: () => void }) {
  return (
    <div className="script-empty">
      <h2>No words yet</h2>
      <p className="quiet">
        Paste the script or type it, or bring in a file: text, Markdown, Word, PDF, a table or spreadsheet with times,
        subtitles. Each paragraph becomes a numbered line
        {production.picture.clips.length
          ? ', and gets a slot over the shots of the picture.'
          : '. Lines get slots once there is a picture.'}{' '}
        Or write while you watch: <Key action="newLine">begins a line</Key>, Enter ends it.
      </p>
      <div className="panel-row script-begin">
        <BringIn production={production} prominent />
        <button type="button" className="link-button" onClick={onType}>
          write line by line
        </button>
      </div>
      <Paste production={production} />
    </div>
  )
}
