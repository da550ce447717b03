import { CustomSource, Input, MATROSKA, MP4, QTFF, VideoSampleSink as Sink, type VideoSampleSink, WEBM } from 'mediabunny'

/** The largest range the server answers at once. */
const RANGE = 2 << 20
/** Files that stay open; each holds a decoder's index and some megabytes. */
const MOST_OPEN = 6

async function readRange(url: string, start: number, end: number): Promise<Uint8Array> {
  const whole = new Uint8Array(end - start)
  for (let at = start; at < end; ) {
    const last = Math.min(end, at + RANGE) - 1
    const answer = await fetch(url, { headers: { Range: `bytes=${at}-${last}` }, credentials: 'same-origin' })
    if (answer.status !== 206) throw new Error(`the picture could not be read (${answer.status})`)
    const piece = new Uint8Array(await answer.arrayBuffer())
    whole.set(piece, at - start)
    at += piece.length
  }
  return whole
}

async function sizeOf(url: string): Promise<number> {
  const answer = await fetch(url, { headers: { Range: 'bytes=0-0' }, credentials: 'same-origin' })
  const size = Number(answer.headers.get('Content-Range')?.split('/')[1])
  if (!size) throw new Error(`the picture could not be read (${answer.status})`)
  return size
}

/** A file that frames are decoded from; `offset` is the time stamp of its first frame, in seconds. */
export type Film = { sink: VideoSampleSink; offset: number }

/** Films by address, the least recently used closed first. */
export class Films {
  private open = new Map<string, { input: Input; film: Promise<Film> }>()

  get(url: string): Promise<Film> {
    const known = this.open.get(url)
    if (known) {
      this.open.delete(url)
      this.open.set(url, known)
      return known.film
    }
    const source = new CustomSource({
      getSize: () => sizeOf(url),
      read: (start, end) => readRange(url, start, end),
      prefetchProfile: 'network',
      maxCacheSize: 12 << 20,
    })
    const input = new Input({ source, formats: [MP4, QTFF, MATROSKA, WEBM] })
    const film = this.begin(input)
    this.open.set(url, { input, film })
    // A failure is not kept, so that the next look tries again.
    film.catch(() => this.open.delete(url))
    for (const [oldest, { input: unused }] of this.open) {
      if (this.open.size <= MOST_OPEN) break
      this.open.delete(oldest)
      unused.dispose()
    }
    return film
  }

  private async begin(input: Input): Promise<Film> {
    const track = await input.getPrimaryVideoTrack()
    if (!track || !(await track.canDecode())) throw new Error('this browser cannot decode the picture')
    return { sink: new Sink(track), offset: await track.getFirstTimestamp() }
  }
}
