import { Menu, type MenuProps } from '@mantine/core'
import { letGoSoon } from './keys'

/** A menu that leaves the focus to nobody when it closes, so that Space, Enter and the arrows are the room's keys again. */
export function RoomMenu(props: MenuProps) {
  return <Menu returnFocus={false} onClose={letGoSoon} {...props} />
}
