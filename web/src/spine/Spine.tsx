import { NavLink } from 'react-router'
import type { Production } from '../api/client'
import { useKeys } from '../app/keys'

const ROOMS = [
  { to: 'picture', name: 'Picture', left: String, label: 'places where picture is missing' },
  { to: 'script', name: 'Script', left: String, label: 'lines without words, slot or room' },
  { to: 'booth', name: 'Booth', left: String, label: 'lines to read' },
  { to: 'takes', name: 'Takes', left: String, label: 'lines without a pick' },
  { to: 'polish', name: 'Polish', left: String, label: 'places to hear, or lines to scan' },
  { to: 'handover', name: 'Handover', left: String, label: 'picked lines' },
] as const

/** The rooms in the order of work; each tab says what is left to do there. */
export function Spine({ production, go }: { production: Production; go: (room: string) => void }) {
  useKeys({
    picture: () => go('picture'),
    script: () => go('script'),
    booth: () => go('booth'),
    takes: () => go('takes'),
    polish: () => go('polish'),
    handover: () => go('handover'),
  })
  return (
    <nav className="spine" aria-label="rooms">
      {ROOMS.map(({ to, name, left, label }) => {
        const count = production.to_do[to]
        const none = to === 'picture' && !production.picture.clips.length
        const begun = to === 'picture' || production.lines.length > 0
        const done = to !== 'handover' && count === 0 && begun
        return (
          <NavLink key={to} to={to} className="spine-tab" title={`${name}: ${count} ${label}`}>
            <span className="spine-name">{name}</span>
            <span className="spine-left">{none ? 'none yet' : done ? '✓' : left(count)}</span>
            <span className="visually-hidden">{label}</span>
          </NavLink>
        )
      })}
    </nav>
  )
}
