import { useEffect, useRef } from 'react'
import { create } from 'zustand'

/** Everything that a key does, with the key it has until somebody changes it. */
export const ACTIONS = {
  play: { key: 'Space', does: 'play and stop', room: 'everywhere' },
  frameBack: { key: 'ArrowLeft', does: 'one frame back', room: 'everywhere' },
  frameOn: { key: 'ArrowRight', does: 'one frame on', room: 'everywhere' },
  secondBack: { key: 'Shift+ArrowLeft', does: 'one second back', room: 'everywhere' },
  secondOn: { key: 'Shift+ArrowRight', does: 'one second on', room: 'everywhere' },
  jump: { key: 'Shift+j', does: 'jump to a place that you type', room: 'everywhere' },
  lineUp: { key: 'PageUp', does: 'line above', room: 'everywhere' },
  lineDown: { key: 'PageDown', does: 'line below', room: 'everywhere' },
  undo: { key: 'Ctrl+z', does: 'take the last edit back', room: 'everywhere' },
  redo: { key: 'Ctrl+Shift+z', does: 'do it again', room: 'everywhere' },
  keys: { key: '?', does: 'show all keys', room: 'everywhere' },
  picture: { key: '1', does: 'go to Picture', room: 'everywhere' },
  script: { key: '2', does: 'go to Script', room: 'everywhere' },
  booth: { key: '3', does: 'go to Booth', room: 'everywhere' },
  takes: { key: '4', does: 'go to Takes', room: 'everywhere' },
  polish: { key: '5', does: 'go to Polish', room: 'everywhere' },
  handover: { key: '6', does: 'go to Handover', room: 'everywhere' },
  shotBack: { key: 'Shift+PageUp', does: 'shot before', room: 'Picture' },
  shotOn: { key: 'Shift+PageDown', does: 'next shot', room: 'Picture' },
  shotPart: { key: 'b', does: 'a new shot begins here', room: 'Picture' },
  shotJoin: { key: 'j', does: 'join the shot with the one before it', room: 'Picture' },
  shotName: { key: 'n', does: 'name the shot', room: 'Picture' },
  reelSplit: { key: 's', does: 'split the clip here', room: 'Picture' },
  reelDrop: { key: 'Delete', does: 'drop the clip and close up', room: 'Picture' },
  reelLeave: { key: 'Backspace', does: 'drop the clip and leave a hole', room: 'Picture' },
  earlier: { key: 'Alt+ArrowUp', does: 'the line or clip goes before the one above', room: 'Picture, Script' },
  later: { key: 'Alt+ArrowDown', does: 'the line or clip goes behind the one below', room: 'Picture, Script' },
  reelCard: { key: 'c', does: 'leave a card here', room: 'Picture' },
  reelCloses: { key: 'h', does: 'close up, or leave a hole', room: 'Picture' },
  reelFollows: { key: 'g', does: 'words and takes go along, or stay', room: 'Picture' },
  up: { key: 'ArrowUp', does: 'line or clip above; hear the take, the place above', room: 'all but Handover' },
  down: { key: 'ArrowDown', does: 'line or clip below; hear the take, the place below', room: 'all but Handover' },
  slotStart: { key: '[', does: 'the slot, or the clip, starts here', room: 'Picture, Script' },
  slotEnd: { key: ']', does: 'the slot ends here, go to the next line; the clip ends here', room: 'Picture, Script' },
  words: { key: 'Enter', does: 'write in the line', room: 'Script' },
  newLine: { key: 'n', does: 'new line below', room: 'Script' },
  join: { key: 'j', does: 'join with the line below', room: 'Script' },
  drop: { key: 'Delete', does: 'drop the line', room: 'Script' },
  noSlot: { key: 'Backspace', does: 'take the slot away', room: 'Script' },
  wild: { key: 'w', does: 'wild (read without picture), or not', room: 'Script' },
  notes: { key: 'o', does: 'write notes for the reader', room: 'Script' },
  spread: { key: 's', does: 'spread the lines that have no slot', room: 'Script' },
  mend: { key: 'm', does: 'mend slots that cross', room: 'Script' },
  find: { key: 'f', does: 'find and replace', room: 'Script' },
  larger: { key: '.', does: 'larger words', room: 'Script, Booth' },
  smaller: { key: ',', does: 'smaller words', room: 'Script, Booth' },
  part: { key: 'Ctrl+Enter', does: 'part the line at the caret', room: 'While writing' },
  stress: { key: 'Alt+s', does: 'stress the word at the caret, or not', room: 'While writing' },
  writeStart: { key: 'Alt+[', does: 'the slot starts here', room: 'While writing' },
  writeEnd: { key: 'Alt+]', does: 'the slot ends here', room: 'While writing' },
  writePlay: { key: 'Ctrl+Space', does: 'play and stop', room: 'While writing' },
  record: { key: 'Enter', does: 'begin a take; stop it', room: 'Booth' },
  run: { key: 'Shift+Enter', does: 'read line after line without a key (reading run)', room: 'Booth' },
  pause: { key: 'p', does: 'pause the take; go on', room: 'Booth' },
  markHere: { key: 'm', does: 'mark a mistake in the take', room: 'Booth' },
  punchIn: { key: 'i', does: 'read again from the position on (punch in)', room: 'Booth' },
  follow: { key: 'f', does: 'the page follows the voice, or stays', room: 'Booth' },
  pointFrom: { key: '[', does: 'record from here, without a line made beforehand', room: 'Booth' },
  pointTo: { key: ']', does: 'record to here', room: 'Booth' },
  callOff: { key: 'Escape', does: 'call off the count-in; stop', room: 'Booth' },
  headphones: { key: 'h', does: 'headphones are on, or not', room: 'Booth' },
  clip: { key: 'c', does: 'clear the clip light', room: 'Booth' },
  cutPass: { key: 'k', does: 'cut the take into the lines that were read in it', room: 'Booth, Takes' },
  pick: { key: 'Enter', does: 'pick the take', room: 'Takes' },
  aside: { key: 'x', does: 'set the take aside, or bring it back', room: 'Takes' },
  markTake: { key: 'm', does: 'mark the take: keep, maybe, no, scratch, nothing', room: 'Takes' },
  noteTake: { key: 'o', does: 'write a note on the take', room: 'Takes' },
  against: { key: 'b', does: 'hear the take that was heard before, from the same word', room: 'Takes' },
  hearSuggested: { key: 'g', does: 'hear the take to try first', room: 'Takes' },
  loop: { key: 'l', does: 'hear the chosen words, or the take, again and again', room: 'Takes' },
  withFilm: { key: 'f', does: 'hear it with the film’s sound, or alone', room: 'Takes' },
  nudgeBack: { key: 'q', does: 'the take a frame earlier', room: 'Takes' },
  nudgeOn: { key: 'w', does: 'the take a frame later', room: 'Takes' },
  finerBack: { key: 'Shift+q', does: 'the take 10 ms earlier', room: 'Takes' },
  finerOn: { key: 'Shift+w', does: 'the take 10 ms later', room: 'Takes' },
  snap: { key: 's', does: 'its first word to the slot’s start', room: 'Takes' },
  wordHere: { key: 'Shift+s', does: 'the chosen word, else the first, to the picture that is shown', room: 'Takes' },
  wordToPoint: { key: 'Alt+s', does: 'the chosen word, else the first, to the nearest sync point', room: 'Takes' },
  syncPoint: { key: 'Shift+m', does: 'a sync point in the picture that is shown; take it away', room: 'Picture, Takes' },
  seamBack: { key: 'Alt+ArrowLeft', does: 'the seam 10 ms earlier', room: 'Takes' },
  seamOn: { key: 'Alt+ArrowRight', does: 'the seam 10 ms later', room: 'Takes' },
  takeBegins: { key: 'Alt+[', does: 'the take begins here', room: 'Takes' },
  takeEnds: { key: 'Alt+]', does: 'the take ends here', room: 'Takes' },
  joinTakes: { key: 'j', does: 'the take goes on from what sounds now', room: 'Takes' },
  fitTake: { key: 't', does: 'fit the take to where an old reading sits', room: 'Takes' },
  filmSilent: { key: 'Shift+f', does: 'the film’s own sound is silent under the line, or heard', room: 'Takes' },
  wordsFrom: { key: '[', does: 'the words to be taken begin with the one that is said here', room: 'Takes' },
  wordsTo: { key: ']', does: 'the words to be taken end with the one that is said here', room: 'Takes' },
  putWords: { key: 'v', does: 'put the chosen words into what sounds now', room: 'Takes' },
  leave: { key: 'Escape', does: 'leave the fit, let the chosen words go', room: 'Takes' },
  shorten: { key: 'e', does: 'make the take end with its slot', room: 'Takes' },
  findTakes: { key: '/', does: 'find among all takes', room: 'Takes' },
  bringReading: { key: 'i', does: 'bring in a reading that was recorded elsewhere', room: 'Takes' },
  sendOutside: { key: 'y', does: 'send the reading to another sound editor', room: 'Takes' },
  settle: { key: 'Alt+Enter', does: 'settle the line: its pick is final; or open it again', room: 'Takes' },
  otherTakes: { key: 'Shift+z', does: 'show the other takes of a settled line, or fold them away', room: 'Takes' },
  compareLines: { key: 'c', does: 'the lines beside one another: which one sounds unlike the rest', room: 'Takes' },
  pickOpen: { key: 'Shift+Enter', does: 'pick what sounds, in all lines without a pick', room: 'Takes' },
  roomCheck: { key: 'r', does: 'listen to the room', room: 'Booth' },
  hearTake: { key: 't', does: 'hear the take that was just read', room: 'Booth' },
  asideTake: { key: 'x', does: 'set the take that was just read aside, or bring it back', room: 'Booth' },
  accept: { key: 'Enter', does: 'mend the place as proposed', room: 'Polish' },
  leaveIt: { key: 'x', does: 'leave the place as it is', room: 'Polish' },
  acceptAlike: { key: 'Shift+Enter', does: 'mend all of this kind that are at least as sure', room: 'Polish' },
  asRead: { key: 'a', does: 'hear the place as it was read', room: 'Polish' },
  asMended: { key: 'm', does: 'hear the place mended', room: 'Polish' },
  hearLine: { key: 'l', does: 'hear the line as it sounds now', room: 'Polish' },
  lineAsRead: { key: 'Shift+l', does: 'hear the line as it was read', room: 'Polish' },
  deeper: { key: 'd', does: 'lower the place by 3 dB more', room: 'Polish' },
  lighter: { key: 'Shift+d', does: 'lower the place by 3 dB less, or lift it', room: 'Polish' },
  edgeBack: { key: 'Alt+ArrowLeft', does: 'the place begins 5 ms earlier', room: 'Polish' },
  edgeOn: { key: 'Alt+ArrowRight', does: 'the place begins 5 ms later', room: 'Polish' },
  endBack: { key: 'Alt+Shift+ArrowLeft', does: 'the place ends 5 ms earlier', room: 'Polish' },
  endOn: { key: 'Alt+Shift+ArrowRight', does: 'the place ends 5 ms later', room: 'Polish' },
  markFrom: { key: '[', does: 'a place marked by hand begins here', room: 'Polish' },
  markTo: { key: ']', does: 'a place marked by hand ends here', room: 'Polish' },
  markGain: { key: 'g', does: 'lower or lift what is marked', room: 'Polish' },
  markClick: { key: 'k', does: 'what is marked is a click', room: 'Polish' },
  markThump: { key: 'u', does: 'what is marked is a thump', room: 'Polish' },
  markOut: { key: 'o', does: 'take out what is marked', room: 'Polish' },
  beginMeter: { key: 'Shift+r', does: 'the loudness meter begins anew', room: 'Polish' },
  length: { key: 'n', does: 'type how long the line is to last', room: 'Polish' },
  write: { key: 'Enter', does: 'write what is chosen', room: 'Handover' },
  gapCloses: { key: 'h', does: 'what follows a gap moves up, or stays', room: 'Polish' },
} as const

export type ActionName = keyof typeof ACTIONS

const STORED = 'fendo-keys'

function stored(): Partial<Record<ActionName, string>> {
  try {
    return JSON.parse(localStorage.getItem(STORED) ?? '{}')
  } catch {
    return {}
  }
}

/** Keys that were changed on this machine. */
export const useChangedKeys = create<{
  changed: Partial<Record<ActionName, string>>
  set: (action: ActionName, key: string | null) => void
}>((set) => ({
  changed: stored(),
  set: (action, key) =>
    set(({ changed }) => {
      const next = { ...changed, [action]: key ?? undefined }
      localStorage.setItem(STORED, JSON.stringify(next))
      return { changed: next }
    }),
}))

export function keyOf(action: ActionName): string {
  return useChangedKeys.getState().changed[action] ?? ACTIONS[action].key
}

/** A key event as it is written in the table: `Ctrl+Shift+z`, `Space`, `?`. */
export function keyName(event: Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey' | 'altKey' | 'shiftKey'>): string {
  const key = event.key === ' ' ? 'Space' : event.key.length === 1 ? event.key.toLowerCase() : event.key
  // Shift is part of a sign such as `?` already, and is named only where it makes no other sign.
  const shift = event.shiftKey && (key.length > 1 || /[a-z]/.test(key))
  return `${event.ctrlKey || event.metaKey ? 'Ctrl+' : ''}${event.altKey ? 'Alt+' : ''}${shift ? 'Shift+' : ''}${key}`
}

const SIGNS: Record<string, string> = {
  ArrowUp: '↑',
  ArrowDown: '↓',
  ArrowLeft: '←',
  ArrowRight: '→',
  PageUp: 'Page ↑',
  PageDown: 'Page ↓',
}

/** A key as people read it. */
export function keyText(key: string): string {
  const pedal = /^(Pedal|Note)(\d+)$/.exec(key)
  if (pedal) return `${pedal[1]!.toLowerCase()} ${pedal[2]}`
  return key.replace(/\w+$/, (last) => SIGNS[last] ?? (last.length === 1 ? last.toUpperCase() : last)).replaceAll('+', ' ')
}

/** Whether somebody is typing: nothing fires then. */
export function isTyping(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false
  if (target.closest('[role="dialog"], [role="listbox"], [role="menu"]')) return true
  if (isChoice(target)) return false
  return target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)
}

/** A box to tick, one of several to choose, a slider: nothing is typed in it. */
function isChoice(target: EventTarget | null): boolean {
  return target instanceof HTMLInputElement && /^(checkbox|radio|range)$/.test(target.type)
}

/** A button that has the focus takes Space and Enter for itself, a choice the arrows. */
function pressesButton(event: KeyboardEvent): boolean {
  const { target, key } = event
  if (isChoice(target)) return key === ' ' || key.startsWith('Arrow')
  if (target instanceof HTMLElement && target.closest('[role="slider"]')) return key.startsWith('Arrow')
  const button = target instanceof HTMLElement && target.closest('button, a, [role="button"]')
  return Boolean(button) && (key === ' ' || key === 'Enter')
}

/** What was clicked lets go of the focus, so that Space, Enter and the arrows are the room's keys again. */
export function letGo(event: React.MouseEvent): void {
  if (isChoice(event.target)) requestAnimationFrame(() => (event.target as HTMLElement).blur())
  const pressed = event.detail > 0 && event.target instanceof HTMLElement && event.target.closest<HTMLElement>('button, a')
  if (pressed && !pressed.ariaHasPopup) pressed.blur()
}

/** The same for what gets the focus back when something closes. */
export function letGoSoon(): void {
  setTimeout(() => document.activeElement instanceof HTMLElement && document.activeElement.blur(), 50)
}

const ACT = 'fendo-act'

/** Do what a key would do here. */
export function act(action: ActionName): void {
  window.dispatchEvent(new CustomEvent<ActionName>(ACT, { detail: action }))
}

/** Let keys do what a room can do now. The newest handlers are used, and none fires while text is typed. */
export function useKeys(handlers: Partial<Record<ActionName, () => void>>): void {
  const latest = useRef(handlers)
  useEffect(() => {
    latest.current = handlers
  })
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      if (event.defaultPrevented || isTyping(event.target) || pressesButton(event)) return
      const name = keyName(event)
      for (const [action, handler] of Object.entries(latest.current)) {
        if (keyOf(action as ActionName) !== name) continue
        event.preventDefault()
        handler()
        return
      }
    }
    const acted = (event: Event) => latest.current[(event as CustomEvent<ActionName>).detail]?.()
    window.addEventListener('keydown', press)
    window.addEventListener(ACT, acted)
    return () => {
      window.removeEventListener('keydown', press)
      window.removeEventListener(ACT, acted)
    }
  }, [])
}
