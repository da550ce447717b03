import type { Take } from '../api/client'

const MOST = 8

/** Takes of a line as strokes: the picked one long and thick, one set aside short. */
export function Tally({ takes, pick }: { takes: Take[]; pick: string | null }) {
  if (!takes.length) return <span />
  const shown = takes.slice(-MOST)
  const picked = takes.find((take) => take.id === pick)
  const said = `${takes.length} take${takes.length === 1 ? '' : 's'}${picked ? `, take ${picked.number} picked` : ', none picked'}`
  return (
    <span className="tally" title={said}>
      <span className="visually-hidden">{said}</span>
      {takes.length > MOST && <b>{takes.length - MOST}+</b>}
      {shown.map((take) => (
        <i key={take.id} className={take.id === pick ? 'picked' : take.aside ? 'aside' : ''} />
      ))}
    </span>
  )
}
