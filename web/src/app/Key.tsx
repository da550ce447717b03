import { ACTIONS, type ActionName, act, keyText, useChangedKeys } from './keys'

/** A key beside the words of a button. */
export function KeySign({ action }: { action: ActionName }) {
  const key = useChangedKeys((keys) => keys.changed[action]) ?? ACTIONS[action].key
  return (
    <span className="key-sign">
      <kbd className="key">{keyText(key)}</kbd>
    </span>
  )
}

/** A key, shown where it acts; pressed, it does the same, for those who have no keys at hand. */
export function Key({ action, children }: { action: ActionName; children?: React.ReactNode }) {
  const key = useChangedKeys((keys) => keys.changed[action]) ?? ACTIONS[action].key
  const { does } = ACTIONS[action]
  return (
    <button
      type="button"
      className="key-hint"
      tabIndex={-1}
      title={does}
      aria-label={children ? undefined : `${keyText(key)}: ${does}`}
      onClick={() => act(action)}
    >
      <kbd className="key">{keyText(key)}</kbd> {children}
    </button>
  )
}
