import { Button, Popover, Radio } from '@mantine/core'
import { useState } from 'react'
import type { Production } from '../../api/client'
import { useSettings } from '../../api/production'
import { letGoSoon } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { NumberField } from '../../app/NumberField'

/** Where peaks are wanted: one of the windows that ship, or one's own. */
export function LevelWindow({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const [opened, setOpened] = useState(false)
  const { key, low, high } = production.level_window
  const own = !production.level_windows.some((one) => one.key === key)
  const set = (level_window: string) => settings.mutate({ level_window }, { onError: sayProblem })
  const setOwn = (from: number, to: number) => set(`${Math.round(from)}..${Math.round(to)}`)
  return (
    <Popover opened={opened} onChange={setOpened} onClose={letGoSoon} trapFocus position="top">
      <Popover.Target>
        <Button size="compact-xs" variant="subtle" color="gray" onClick={() => setOpened(!opened)}>
          level window: {own ? `−${-low} to −${-high}` : key}
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <Radio.Group label="Peaks while reading" value={own ? 'own' : key} onChange={(to) => to !== 'own' && set(to)}>
          {production.level_windows.map((one) => (
            <Radio key={one.key} size="xs" mt={6} value={one.key} label={one.name} />
          ))}
          <Radio size="xs" mt={6} value="own" label="Own, in dBFS:" onChange={() => setOwn(low, high)} />
        </Radio.Group>
        <span className="booth-own-window">
          <NumberField label="from" value={Math.round(low)} min={-40} max={-4} onSet={(to) => setOwn(to, high)} />
          <NumberField label="to" value={Math.round(high)} min={-37} max={-1} onSet={(to) => setOwn(low, to)} />
        </span>
      </Popover.Dropdown>
    </Popover>
  )
}
