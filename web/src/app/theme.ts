import { createTheme, type MantineColorsTuple, Select } from '@mantine/core'

const sea: MantineColorsTuple = [
  '#e6f4f1',
  '#d3e8e3',
  '#a6d0c8',
  '#76b8ac',
  '#4fa396',
  '#2f8f82',
  '#17796d',
  '#0f6a61',
  '#0a574f',
  '#04433d',
]

/** After a choice the keys are the room's again. */
function letGo() {
  setTimeout(() => document.activeElement instanceof HTMLElement && document.activeElement.blur())
}

export const theme = createTheme({
  fontFamily: "'Bricolage Grotesque Variable', sans-serif",
  fontFamilyMonospace: "'Spline Sans Mono Variable', monospace",
  headings: { fontFamily: "'Literata Variable', serif" },
  colors: { sea },
  primaryColor: 'sea',
  primaryShade: { light: 7, dark: 5 },
  defaultRadius: 4,
  cursorType: 'pointer',
  respectReducedMotion: true,
  components: { Select: Select.extend({ defaultProps: { onDropdownClose: letGo } }) },
})
