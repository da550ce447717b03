import type { Line } from '../api/client'

const MOST = 8

/** Takes of a line as strokes: what is picked long and thick, what sounds meanwhile long and thin, one set aside short. */
export function Tally({ line: { tally, voice, settled } }: { line: Line }) {
  if (!tally.length) return <span />
  const shown = tally.slice(-MOST)
  const stands = !voice
    ? ', none picked'
    : voice.provisional
      ? `, ${voice.name} sounds until one is picked`
      : `, ${voice.name} ${settled ? 'settled' : 'picked'}`
  const said = `${tally.length} take${tally.length === 1 ? '' : 's'}${stands}`
  const role = (number: number) => (voice?.takes.includes(number) ? (voice.provisional ? 'provisional' : 'picked') : '')
  return (
    <span className="tally" title={said} data-settled={settled}>
      <span className="visually-hidden">{said}</span>
      {tally.length > MOST && <b>{tally.length - MOST}+</b>}
      {shown.map(({ number, aside }) => (
        <i key={number} className={role(number) || (aside ? 'aside' : '')} />
      ))}
    </span>
  )
}
