import { ActionIcon, Tooltip, useComputedColorScheme, useMantineColorScheme } from '@mantine/core'
import { IconMoon, IconSun } from '@tabler/icons-react'

/** Paper and ink by day, dark for a dim booth. */
export function Scheme() {
  const { setColorScheme } = useMantineColorScheme()
  const light = useComputedColorScheme('light') === 'light'
  return (
    <Tooltip label={light ? 'dark, for a dim booth' : 'light, paper and ink'}>
      <ActionIcon
        variant="subtle"
        color="gray"
        aria-label={light ? 'dark scheme' : 'light scheme'}
        onClick={() => setColorScheme(light ? 'dark' : 'light')}
      >
        {light ? <IconMoon size={18} /> : <IconSun size={18} />}
      </ActionIcon>
    </Tooltip>
  )
}
