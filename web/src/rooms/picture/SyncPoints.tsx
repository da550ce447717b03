import type { Edit, Production } from '../../api/client'
import { useEdits } from '../../api/production'
import { useEngine } from '../../app/engine'
import { sayProblem } from '../../app/messages'
import { timecodeAt } from '../../app/room'

/** The sync points, each to be gone to, named and taken away. */
export function SyncPoints({ production }: { production: Production }) {
  const engine = useEngine()
  const { edit } = useEdits(production.id)
  const points = production.sync_points
  if (!points.length) return null
  const make = (what: Edit) => edit.mutate(what, { onError: sayProblem })
  const named = (at: number, before: string, called: string) =>
    called.trim() !== before && make({ kind: 'set_sync_point', at, called: called.trim() })
  return (
    <section className="sync-points" aria-label="sync points">
      <h2>{points.length === 1 ? 'One sync point' : `${points.length} sync points`}</h2>
      <ul data-testid="sync-points">
        {points.map(({ at, called }) => (
          <li key={`${at} ${called}`}>
            <button type="button" className="link-button tc" onClick={() => engine.transport.seek(at)}>
              {timecodeAt(production, at)}
            </button>
            <input
              aria-label={`name of the sync point at ${timecodeAt(production, at)}`}
              defaultValue={called}
              placeholder="what happens there"
              maxLength={60}
              onBlur={(event) => named(at, called, event.target.value)}
              onKeyDown={(event) => {
                if (event.key === 'Escape') event.currentTarget.value = called
                if (event.key === 'Enter' || event.key === 'Escape') event.currentTarget.blur()
              }}
            />
            <button type="button" className="link-button" onClick={() => make({ kind: 'drop_sync_point', at })}>
              take away
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}
