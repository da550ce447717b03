import { useVirtualizer } from '@tanstack/react-virtual'
import { useLayoutEffect, useRef } from 'react'
import type { Line, Production } from '../api/client'
import { timecodeAt, useShownLines } from '../app/room'
import { secondsText } from '../engine/time'
import { usePageSettings } from './settings'
import { Tally } from './Tally'
import { Words } from './Words'

export type PageRow = { line: Line; on: boolean; place: string }

type PageProps = {
  production: Production
  chosen: string | undefined
  onChoose: (line: Line) => void
  /** A row drawn another way, where a room needs more than number, words and tally. */
  row?: (row: PageRow) => React.ReactNode
  rowHeight?: number
}

/** The typeset page of numbered lines; only the rows in sight are drawn. */
export function Page({ production, chosen, onChoose, row, rowHeight = 88 }: PageProps) {
  const scroller = useRef<HTMLDivElement>(null)
  const lines = useShownLines(production)
  const { size, measure, notes, picture } = usePageSettings()
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    getItemKey: (index) => lines[index]!.id,
    overscan: 6,
    // A chosen line is seen among its neighbours, not at the edge.
    scrollPaddingStart: Math.min(90, 0.15 * (scroller.current?.clientHeight ?? 600)),
    scrollPaddingEnd: Math.min(170, 0.25 * (scroller.current?.clientHeight ?? 600)),
  })
  const index = lines.findIndex((line) => line.id === chosen)
  // biome-ignore lint/correctness/useExhaustiveDependencies: type of another size makes rows of another height
  useLayoutEffect(() => rows.measure(), [rows, size, measure, notes])
  // biome-ignore lint/correctness/useExhaustiveDependencies: the chosen line stays in sight when rows or room change
  useLayoutEffect(() => {
    if (index >= 0) rows.scrollToIndex(index, { align: 'auto' })
  }, [rows, index, size, measure, notes, picture])
  const place = (line: Line) =>
    line.slot
      ? `${timecodeAt(production, line.slot[0]!)} · ${secondsText(line.slot[1]! - line.slot[0]!)} s`
      : line.wild
        ? line.wanted_length
          ? `wild · ${secondsText(line.wanted_length)} s`
          : 'wild'
        : 'no slot'
  const set = { '--page-size': `${size}px`, '--page-measure': measure } as React.CSSProperties
  return (
    <div className="page" ref={scroller} role="listbox" aria-label="lines" data-testid="page" style={set}>
      <div className="page-lines" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map((item) => {
          const line = lines[item.index]!
          const on = line.id === chosen
          const known = { line, on, place: place(line) }
          return (
            // biome-ignore lint/a11y/useKeyWithClickEvents: lines are stepped through with the room's keys
            // biome-ignore lint/a11y/useFocusableInteractive: the list is driven by the room's keys, not by focus
            <div
              key={item.key}
              ref={rows.measureElement}
              data-index={item.index}
              data-line={line.number}
              role="option"
              aria-selected={on}
              className={`page-line${on ? ' on' : ''}`}
              style={{ transform: `translateY(${item.start}px)` }}
              onClick={() => onChoose(line)}
            >
              {row ? row(known) : <PlainRow {...known} />}
            </div>
          )
        })}
      </div>
    </div>
  )
}

function PlainRow({ line, place }: PageRow) {
  return (
    <>
      <span className="page-number">{line.number}</span>
      <p className={`page-words${line.text ? '' : ' none'}`}>{line.text ? <Words line={line} /> : 'no words yet'}</p>
      <Tally line={line} />
      <small className="page-note">{place}</small>
    </>
  )
}
