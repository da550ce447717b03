import { useVirtualizer } from '@tanstack/react-virtual'
import { useEffect, useRef } from 'react'
import type { Line, Production, Take } from '../api/client'
import { rateOf, useTakesByLine } from '../app/room'
import { frameAt, secondsText, timecode } from '../engine/time'
import { Tally } from './Tally'

export type PageRow = { line: Line; takes: Take[]; on: boolean; place: string }

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
  const takes = useTakesByLine(production)
  const { lines } = production
  const rate = rateOf(production)
  const rows = useVirtualizer({
    count: lines.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    getItemKey: (index) => lines[index]!.id,
    overscan: 6,
  })
  const index = lines.findIndex((line) => line.id === chosen)
  useEffect(() => {
    if (index >= 0) rows.scrollToIndex(index, { align: 'auto' })
  }, [index, rows])
  const place = (line: Line) =>
    line.slot
      ? `${timecode(production.start_frame + frameAt(line.slot[0]!, rate), rate)} · ${secondsText(line.slot[1]! - line.slot[0]!)} s`
      : 'no slot'
  return (
    <div className="page" ref={scroller} role="listbox" aria-label="lines" data-testid="page">
      <div className="page-lines" style={{ height: rows.getTotalSize() }}>
        {rows.getVirtualItems().map((item) => {
          const line = lines[item.index]!
          const on = line.id === chosen
          const known = { line, takes: takes.get(line.id) ?? [], on, place: place(line) }
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

function PlainRow({ line, takes, place }: PageRow) {
  return (
    <>
      <span className="page-number">{line.number}</span>
      <p className={`page-words${line.text ? '' : ' none'}`}>{line.text || 'no words yet'}</p>
      <Tally takes={takes} pick={line.pick} />
      <small className="page-note">{place}</small>
    </>
  )
}
