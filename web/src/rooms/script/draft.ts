/** Words that are being typed, kept for this tab: a reload, or a tab that is brought back, goes on with them. */
const KEY = 'fendo-draft'

/** `revision`: of the production when the typing began, so that what others changed since is not written over. */
type Draft = { line: string; text: string; revision: number }

/** On its way to be kept: coming back to the room meanwhile doesn't take it up again. A reload forgets this. */
let sent = false

export function keepDraft(draft: Draft): void {
  sent = false
  sessionStorage.setItem(KEY, JSON.stringify(draft))
}

export function sendDraft(on: boolean): void {
  sent = on
}

export function dropDraft(): void {
  sent = false
  sessionStorage.removeItem(KEY)
}

/** The draft of this line, or any that is not on its way. */
export function keptDraft(line?: string): Draft | null {
  if (sent && !line) return null
  try {
    const kept = JSON.parse(sessionStorage.getItem(KEY) ?? 'null') as Draft | null
    return line && kept?.line !== line ? null : kept
  } catch {
    return null
  }
}
