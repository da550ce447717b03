import { Checkbox } from '@mantine/core'
import type { Order, Plan, Production } from '../../api/client'
import { timecodeAt } from '../../app/room'
import { secondsText } from '../../engine/time'

type Props = { production: Production; plan: Plan; order: Order; onChange: (order: Order) => void }

/** Every file that an order would write, by its name. */
export function WillBeWritten({ production, plan, order, onChange }: Props) {
  const others = plan.files.filter((name) => !name.startsWith('Production/'))
  const kept = plan.files.length - others.length
  const byHand = order.which === 'chosen'
  const shown = new Map(plan.lines.map((each) => [each.line, each]))
  const rows = byHand ? production.lines.filter((line) => line.voice) : production.lines.filter(({ id }) => shown.has(id))
  const tick = (id: string) =>
    onChange({ ...order, of: order.of.includes(id) ? order.of.filter((each) => each !== id) : [...order.of, id] })
  return (
    <div className="handover-list" data-testid="plan">
      <ul className="handover-others">
        {others.map((name) => (
          <li key={name}>{name}</li>
        ))}
        {kept > 0 && <li>Production/ with every take and what was brought in</li>}
      </ul>
      <ol>
        {rows.map((line) => {
          const found = shown.get(line.id)
          return (
            <li key={line.id} data-leaves={Boolean(found)}>
              {byHand ? (
                <Checkbox
                  size="xs"
                  aria-label={`line ${line.number}`}
                  checked={order.of.includes(line.id)}
                  onChange={() => tick(line.id)}
                />
              ) : (
                <span className="page-number">{line.number}</span>
              )}
              <span className="handover-file">
                {found?.path.replace('Lines/', '') || line.text}
                {found && (
                  <small className="quiet">
                    {timecodeAt(production, Math.max(0, found.span[0]!))} · {secondsText(found.span[1]! - found.span[0]!)} s
                    · {found.takes.includes(',') || found.takes.includes('+') ? 'takes' : 'take'} {found.takes}
                    {found.provisional && ' · not picked'}
                  </small>
                )}
              </span>
            </li>
          )
        })}
      </ol>
    </div>
  )
}
