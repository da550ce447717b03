import { Observable } from './observable'
import type { OutboxNews, OutboxOrder } from './outbox'
import OutboxWorker from './outbox.worker?worker'

/** So many ticks of the recorder's clock without a word of the outbox: fifteen seconds. */
const SILENT_TICKS = 75
const FALLEN =
  'The part of this page that stores what is read does not work. Stop, load the page anew, and look whether the take is there.'

type Waiting = Extract<OutboxNews, { kind: 'waiting' }>

/** The page's end of the outbox: what it is told, what waits in it, and whether it still answers. */
export class OutboxLink {
  readonly waiting = new Observable<Omit<Waiting, 'kind'>>({ bytes: 0, takes: 0, online: true, reached: true, said: '' })
  /** What became of a take. */
  onNews: (news: Exclude<OutboxNews, Waiting>) => void = () => {}
  /** It tells twice a second what waits while sound comes in; when it falls silent the reader must know. */
  private silent = 0

  /** `token`: of the cookie, without which the server takes nothing; another one after signing in again. */
  constructor(
    private readonly token: () => string,
    private readonly worker: Worker = new OutboxWorker(),
  ) {
    worker.onmessage = ({ data }: MessageEvent<OutboxNews>) => this.hear(data)
    worker.onerror = () => this.fallen()
  }

  /** Let what waits be sent. */
  authorise(): void {
    this.tell({ kind: 'csrf', token: this.token() })
  }

  tell(order: OutboxOrder, transfer: Transferable[] = []): void {
    this.worker.postMessage(order, transfer)
  }

  /** Called at each tick of the recorder's clock while sound comes in. */
  tick(): void {
    if (++this.silent === SILENT_TICKS) this.fallen()
  }

  private fallen(): void {
    this.waiting.update({ online: true, reached: true, said: FALLEN })
  }

  private hear(news: OutboxNews): void {
    this.silent = 0
    if (news.kind !== 'waiting') this.onNews(news)
    else {
      const { kind, ...rest } = news
      this.waiting.set(rest)
      if (!news.online) this.authorise()
    }
  }
}
