import type { Production, Repair } from '../../api/client'
import { timecodeAt } from '../../app/room'

const DONE: Record<Repair['kind'], string> = {
  gain: 'level changed',
  breath: 'breath lowered',
  noise: 'noise lowered',
  click: 'click taken out',
  plosive: 'plosive softened',
  gap: 'gap',
  clipped: 'clipped tops drawn anew',
  rumble: 'rumble taken out',
  level: 'line lifted or lowered',
  hum: 'hum',
  dull: 'dull line',
  seam: 'seam levelled',
  'false start': 'false start',
  'put in': 'something put in',
}

type Props = { production: Production; repairs: Repair[]; onBack: (ids: string[]) => void }

/** What was mended, and what was left as it is; each can be taken back. */
export function SettledList({ production, repairs, onBack }: Props) {
  if (!repairs.length) return null
  const mended = repairs.filter((one) => one.on).length
  const left = repairs.length - mended
  return (
    <section className="polish-settled" aria-label="settled">
      <h2>
        {mended} mended{left > 0 && `, ${left} left as ${left === 1 ? 'it is' : 'they are'}`}
      </h2>
      <ul data-testid="settled">
        {repairs.map((one) => (
          <li key={one.id} data-on={one.on}>
            <span className="page-number">{production.lines.find((line) => line.id === one.line)?.number}</span>
            <span>
              {one.on ? DONE[one.kind] : `${one.kind === 'gain' ? 'level' : one.kind} left as it is`}
              {one.on && (one.kind === 'breath' || one.kind === 'noise') && ` by ${-one.decibel} dB`}
            </span>
            <span className="tc">{timecodeAt(production, one.span[0]!)}</span>
            <button type="button" onClick={() => onBack([one.id])} aria-label={`take back: ${DONE[one.kind]}`}>
              take back
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}
