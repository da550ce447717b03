/** A value that can be watched. React observes it through `useSyncExternalStore`; the engine needs no React. */
export class Observable<T> {
  private watchers = new Set<() => void>()

  constructor(private current: T) {}

  get value(): T {
    return this.current
  }

  set(next: T): void {
    if (Object.is(next, this.current)) return
    this.current = next
    for (const watcher of this.watchers) watcher()
  }

  update(change: Partial<T>): void {
    this.set({ ...this.current, ...change })
  }

  readonly watch = (watcher: () => void): (() => void) => {
    this.watchers.add(watcher)
    return () => this.watchers.delete(watcher)
  }

  readonly get = (): T => this.current
}
