import type { Line } from '../api/client'

const MOST = 8

/** Takes of a line as strokes: the picked one long and thick, one set aside short. */
export function Tally({ line: { tally, pick } }: { line: Line }) {
  if (!tally.length) return <span />
  const shown = tally.slice(-MOST)
  const said = `${tally.length} take${tally.length === 1 ? '' : 's'}${pick ? `, take ${pick.number} picked` : ', none picked'}`
  return (
    <span className="tally" title={said}>
      <span className="visually-hidden">{said}</span>
      {tally.length > MOST && <b>{tally.length - MOST}+</b>}
      {shown.map(({ number, aside }) => (
        <i key={number} className={number === pick?.number ? 'picked' : aside ? 'aside' : ''} />
      ))}
    </span>
  )
}
