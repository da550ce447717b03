import { type DBSchema, type IDBPDatabase, openDB } from 'idb'
import type { ClockPart } from './clocklog'

/** What a take was begun with, should it have to be begun once more. */
export type Asked = { input: string; cue: number | null }

export type Kept = {
  id: string
  line: string
  asked?: Asked
  /** The server's take on which the sound goes, if the one that was begun is no more. */
  on?: string
  clock: ClockPart
  total: number | null
  next: number
  cutOff: boolean
}
export type Piece = { take: string; offset: number; count: number; sound: ArrayBuffer; clock?: string }

const STORE = 'fendo-outbox'

interface Schema extends DBSchema {
  takes: { key: string; value: Kept }
  pieces: { key: [string, number]; value: Piece }
}

/** Pieces that are kept in memory when the browser's storage takes nothing: ten minutes. */
const MOST_SPARE = 6000

/** Where takes and their pieces wait: in the browser's own storage, and in memory what that does not take. */
export class OutboxStorage {
  /** Why something had to stay in memory; nothing of the kind at present: null. */
  trouble: 'full' | 'unusable' | null = null
  private connection: Promise<IDBPDatabase<Schema> | null> | undefined
  private opened = false
  private spare = new Map<string, Piece[]>()
  /** Takes that are known in memory alone. */
  private unkept = new Map<string, Kept>()

  /** The storage; null where there is none. Once it was there it is waited for: something lies in it. */
  private db(): Promise<IDBPDatabase<Schema> | null> {
    this.connection ??= this.connect()
    return this.connection
  }

  private async connect(): Promise<IDBPDatabase<Schema> | null> {
    try {
      const db = await openDB<Schema>(STORE, 1, {
        upgrade(made) {
          made.createObjectStore('takes', { keyPath: 'id' })
          made.createObjectStore('pieces', { keyPath: ['take', 'offset'] })
        },
        terminated: () => {
          this.connection = undefined
        },
      })
      this.opened = true
      return db
    } catch (error) {
      this.connection = undefined
      if (this.opened) throw error
      return null
    }
  }

  private async use<T>(work: (db: IDBPDatabase<Schema>) => Promise<T>, without: T): Promise<T> {
    const db = await this.db()
    if (!db) return without
    try {
      return await work(db)
    } catch (error) {
      // Its connection is closed: the next one opens it anew.
      if (error instanceof DOMException && error.name === 'InvalidStateError') this.connection = undefined
      throw error
    }
  }

  /** Keep what is known of a take; in memory alone if it must be, until there is room. */
  async keep(kept: Kept): Promise<void> {
    this.unkept.set(kept.id, kept)
    await this.stored(async (db) => void (await db.put('takes', kept))).then((done) => done && this.unkept.delete(kept.id))
  }

  /**
   * Keep a piece.
   *
   * Throws when neither the storage nor the memory has room.
   */
  async put(piece: Piece): Promise<void> {
    const done = await this.stored(async (db) => {
      const tx = db.transaction('pieces', 'readwrite', { durability: 'strict' })
      await Promise.all([tx.store.put(piece), tx.done])
    })
    if (done) {
      const kept = this.unkept.get(piece.take)
      if (kept) await this.keep(kept)
      return
    }
    const spare = this.spare.get(piece.take) ?? []
    if (spare.length >= MOST_SPARE) throw new Error('neither the storage nor the memory of this browser has room')
    spare.push(piece)
    this.spare.set(piece.take, spare)
  }

  private async stored(work: (db: IDBPDatabase<Schema>) => Promise<void>): Promise<boolean> {
    try {
      const done = await this.use(async (db) => work(db).then(() => true), false)
      if (!done) this.trouble = 'unusable'
      return done
    } catch {
      this.trouble = 'full'
      return false
    }
  }

  /** All takes that wait here, of earlier pages too. */
  takes(): Promise<Kept[]> {
    return this.use((db) => db.getAll('takes'), [])
  }

  /** The first pieces of a take in order of their samples, at most so many from either place. */
  async first(id: string, most: number): Promise<Piece[]> {
    const stored = await this.use((db) => db.getAll('pieces', all(id), most), [])
    const spare = this.spare.get(id)?.slice(0, most) ?? []
    return [...stored, ...spare].sort((a, b) => a.offset - b.offset)
  }

  /** How many pieces of a take wait. */
  async count(id: string): Promise<number> {
    return (await this.use((db) => db.count('pieces', all(id)), 0)) + (this.spare.get(id)?.length ?? 0)
  }

  /** The server has these: they need not wait any more. */
  async letGo(id: string, pieces: readonly Piece[]): Promise<void> {
    const spare = this.spare.get(id)
    if (spare) {
      const gone = new Set(pieces.map(({ offset }) => offset))
      this.spare.set(
        id,
        spare.filter(({ offset }) => !gone.has(offset)),
      )
    }
    const range = IDBKeyRange.bound([id, pieces[0]!.offset], [id, pieces.at(-1)!.offset])
    await this.use((db) => db.delete('pieces', range), undefined)
  }

  /** Nothing of the take need wait. */
  async remove(id: string): Promise<void> {
    this.spare.delete(id)
    this.unkept.delete(id)
    if (!this.spare.size) this.trouble = null
    await this.use(async (db) => {
      await db.delete('pieces', all(id))
      await db.delete('takes', id)
    }, undefined)
  }
}

/** The keys of a take's pieces. */
function all(id: string): IDBKeyRange {
  return IDBKeyRange.bound([id, 0], [id, Number.MAX_SAFE_INTEGER])
}
