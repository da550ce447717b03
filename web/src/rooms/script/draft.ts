/** Words that are being typed, kept for this tab: a reload, or a tab that is brought back, goes on with them. */
const KEY = 'fendo-draft'

/** `revision`: of the production when the typing began, so that what others changed since is not written over. */
type Draft = { line: string; text: string; revision: number }

export function keepDraft(draft: Draft): void {
  sessionStorage.setItem(KEY, JSON.stringify(draft))
}

export function dropDraft(): void {
  sessionStorage.removeItem(KEY)
}

/** The draft, of this line or of any. */
export function keptDraft(line?: string): Draft | null {
  try {
    const kept = JSON.parse(sessionStorage.getItem(KEY) ?? 'null') as Draft | null
    return line && kept?.line !== line ? null : kept
  } catch {
    return null
  }
}
