import { ACTIONS, type ActionName, keyText, useChangedKeys } from './keys'

/** A key, shown where it acts. */
export function Key({ action, children }: { action: ActionName; children?: React.ReactNode }) {
  const key = useChangedKeys((keys) => keys.changed[action]) ?? ACTIONS[action].key
  return (
    <span className="key-hint">
      <kbd className="key">{keyText(key)}</kbd> {children}
    </span>
  )
}
