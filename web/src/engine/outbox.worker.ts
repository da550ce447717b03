import { Outbox, type OutboxOrder } from './outbox'

const outbox = new Outbox((news) => self.postMessage(news))
self.onmessage = ({ data }: MessageEvent<OutboxOrder>) => outbox.obey(data)
