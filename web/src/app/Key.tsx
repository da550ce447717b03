import { ACTIONS, type ActionName, act, keyText, useChangedKeys } from './keys'

function useKeyText(action: ActionName): string {
  return keyText(useChangedKeys((keys) => keys.changed[action]) ?? ACTIONS[action].key)
}

/** A key beside the words of a button. */
export function KeySign({ action }: { action: ActionName }) {
  return <kbd className="key">{useKeyText(action)}</kbd>
}

/** A key, shown where it acts; pressed, it does the same, for those who have no keys at hand. */
export function Key({ action, children }: { action: ActionName; children?: React.ReactNode }) {
  const key = useKeyText(action)
  const { does } = ACTIONS[action]
  return (
    <button
      type="button"
      className="key-hint"
      tabIndex={-1}
      title={does}
      aria-label={children ? undefined : `${key}: ${does}`}
      onClick={() => act(action)}
    >
      <kbd className="key">{key}</kbd> {children}
    </button>
  )
}
