import type { Line } from '../../api/client'
import { roomOf } from '../../app/room'

const WIDE = 236

/** The words as a bar in the slot's brackets; what is over stands outside them. */
export function FitBar({ line, scale }: { line: Line; scale: number }) {
  const slot = (roomOf(line) ?? 0) * scale
  const need = line.needed * scale
  const over = line.fit === 'over'
  const many = line.words_over
  const said = many ? `${line.fit_text}, about ${many === 1 ? 'a word' : `${many} words`}` : line.fit_text
  const end = Math.min(slot, WIDE - 4)
  return (
    <span className="fit">
      <svg width={WIDE + 12} height="22" aria-hidden="true">
        {need > 0 && (
          <rect className="fit-words" x="3" y="7" width={Math.max(1, (over ? end : Math.min(need, WIDE)) - 4)} height="8" />
        )}
        {over && (
          <rect className="fit-over" x={end + 3} y="7" width={Math.max(3, Math.min(need, WIDE + 8) - end)} height="8" />
        )}
        {slot > 0 && <path className="fit-slot" d={`M7 2h-5v18h5M${end - 4} 2h5v18h-5`} />}
      </svg>
      <small className={over ? 'fit-said over' : 'fit-said'}>{said}</small>
    </span>
  )
}

/** Points a sample, so that the longest slot or text of the script fills the width. */
export function fitScale(lines: readonly Line[]): number {
  const longest = lines.reduce((most, line) => Math.max(most, line.needed, roomOf(line) ?? 0), 0)
  return WIDE / Math.max(longest, 6 * 48_000)
}
