import { create } from 'zustand'

/** Foot switches on MIDI: what one sends acts like a key, so that it can be given to anything that a key does. */
type Pedals = {
  /** What is listened to; null: nobody asked for it. */
  heard: string[] | null
  said: string
}

const STORED = 'fendo-pedals'
export const usePedals = create<Pedals>(() => ({ heard: null, said: '' }))

const NOTE_ON = 0x90
const CONTROL = 0xb0
const HALF = 64

/** The name of what a message presses, as a key's; nothing for a release and all else. */
export function pressedBy([status = 0, which = 0, value = 0]: ArrayLike<number> & Iterable<number>): string | null {
  const kind = status & 0xf0
  if (kind === NOTE_ON && value > 0) return `Note${which}`
  return kind === CONTROL && value >= HALF ? `Pedal${which}` : null
}

/** Let a device press keys. A pedal that sends its whole way down presses once. */
function attach(input: MIDIInput): void {
  const down = new Set<string>()
  input.onmidimessage = ({ data }) => {
    if (!data) return
    const key = pressedBy(data)
    const control = `Pedal${data[1]}`
    if (!key) return void ((data[0]! & 0xf0) === CONTROL && down.delete(control))
    if (key === control && down.has(key)) return
    if (key === control) down.add(key)
    const target = document.activeElement ?? document.body
    target.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }))
  }
}

/** Listen to the MIDI devices that are there and that come; the browser asks for leave once. */
export async function listenToPedals(): Promise<void> {
  try {
    if (!navigator.requestMIDIAccess)
      throw new Error('This browser knows no MIDI. A foot switch that acts as a keyboard works.')
    const access = await navigator.requestMIDIAccess()
    const look = () => {
      const inputs = [...access.inputs.values()]
      for (const input of inputs) if (!input.onmidimessage) attach(input)
      usePedals.setState({ heard: inputs.map(({ name }) => name || 'a MIDI device'), said: '' })
    }
    access.onstatechange = look
    look()
    localStorage.setItem(STORED, 'on')
  } catch (error) {
    const refused = error instanceof DOMException
    const said = refused ? 'The browser does not let Fendo hear MIDI. Allow it at the left end of the address bar.' : ''
    usePedals.setState({ said: said || (error as Error).message })
  }
}

/** As the last time: who has asked for it once need not ask again. */
export function pedalsAsBefore(): void {
  if (localStorage.getItem(STORED) === 'on') void listenToPedals()
}
