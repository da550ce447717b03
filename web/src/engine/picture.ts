import {
  CustomSource,
  Input,
  type InputVideoTrack,
  MATROSKA,
  MP4,
  QTFF,
  type VideoSample,
  VideoSampleSink,
  WEBM,
} from 'mediabunny'
import { Observable } from './observable'
import { frameAt, frameSeconds, type Rate, SAMPLE_RATE } from './time'

/** The largest range the server answers at once. */
const RANGE = 2 << 20
const RING = 10

export type PictureState = 'none' | 'loading' | 'ready' | 'failed'

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

/**
 * The picture, decoded frame by frame and drawn on canvases for the position that is heard.
 *
 * A <video> element would be a clock of its own. Here the transport's clock is the only one: each animation frame draws
 * the frame that belongs to the sample heard now, and every frame is closed as soon as it is passed.
 */
export class Picture {
  readonly state = new Observable<PictureState>('none')
  private canvases = new Set<HTMLCanvasElement>()
  private input: Input | undefined
  private sink: VideoSampleSink | undefined
  private offset = 0
  rate: Rate = { above: 25, below: 1, drop: false }
  private frames = 0
  private opened = ''
  private run = 0
  private ring: VideoSample[] = []
  private shown: VideoSample | undefined
  private wanted = -1
  private fetching = false
  private running = false
  /** Called with each frame drawn while it rolls, and the moment (milliseconds of the page's clock). */
  onSeen: ((frame: number, at: number) => void) | undefined

  /** Open a film; the same address twice is no work. */
  async open(url: string | null, rate: Rate, frames: number): Promise<void> {
    this.rate = rate
    this.frames = frames
    if (url === this.opened) return
    this.opened = url ?? ''
    this.halt()
    this.sink = undefined
    this.input?.dispose()
    this.shown?.close()
    this.shown = undefined
    this.paint()
    if (!url) return this.state.set('none')
    this.state.set('loading')
    try {
      const source = new CustomSource({
        getSize: () => sizeOf(url),
        read: (start, end) => readRange(url, start, end),
        prefetchProfile: 'network',
        maxCacheSize: 24 << 20,
      })
      const input = new Input({ source, formats: [MP4, QTFF, MATROSKA, WEBM] })
      this.input = input
      const track: InputVideoTrack | null = await input.getPrimaryVideoTrack()
      if (!track || !(await track.canDecode())) throw new Error('this browser cannot decode the picture')
      const first = await track.getFirstTimestamp()
      if (this.opened !== url) return
      this.offset = first
      this.sink = new VideoSampleSink(track)
      this.state.set('ready')
      const again = Math.max(0, this.wanted)
      this.wanted = -1
      this.show(again)
    } catch (error) {
      if (this.opened !== url) return
      console.error(error)
      this.state.set('failed')
    }
  }

  /** Draw on this canvas from now on; the returned function ends it. */
  attach(canvas: HTMLCanvasElement): () => void {
    this.canvases.add(canvas)
    this.paint()
    return () => this.canvases.delete(canvas)
  }

  /** The frame of a resting position. Only the newest wish is fetched. */
  show(position: number): void {
    const frame = this.clamp(frameAt(Math.max(0, position), this.rate))
    this.wanted = position
    if (this.running || this.fetching || !this.sink || this.isShown(frame)) return
    this.fetching = true
    const { sink, run } = this
    void sink
      .getSample(this.offset + frameSeconds(frame, this.rate))
      .then((sample) => {
        if (sample && sink === this.sink && run === this.run && !this.running) this.draw(sample)
        else sample?.close()
      })
      // A picture that was replaced meanwhile has nothing to say any more.
      .catch((error) => sink === this.sink && console.error(error))
      .finally(() => {
        this.fetching = false
        const next = this.clamp(frameAt(Math.max(0, this.wanted), this.rate))
        if (!this.running && next !== frame) this.show(this.wanted)
      })
  }

  /** Decode on from a position; `frameFor` then draws what is heard. */
  roll(position: number): void {
    this.halt()
    if (!this.sink) return
    this.running = true
    const run = ++this.run
    void this.fill(run, this.offset + frameSeconds(this.clamp(frameAt(Math.max(0, position), this.rate)), this.rate))
  }

  /** End decoding ahead. */
  halt(): void {
    this.run++
    this.running = false
    for (const sample of this.ring) sample.close()
    this.ring = []
  }

  /** Draw the frame that belongs to the position heard now; called once an animation frame. */
  tick(position: number, now: number): void {
    if (!this.running) return
    const heard = this.offset + position / SAMPLE_RATE
    let newest: VideoSample | undefined
    // Containers round time stamps to a millisecond.
    const tolerance = 0.0006
    while (this.ring.length && this.ring[0]!.timestamp <= heard + tolerance) {
      newest?.close()
      newest = this.ring.shift()
    }
    if (newest) {
      this.draw(newest)
      this.onSeen?.(Math.round(((newest.timestamp - this.offset) * this.rate.above) / this.rate.below), now)
    }
  }

  private async fill(run: number, from: number): Promise<void> {
    const { sink } = this
    if (!sink) return
    try {
      for await (const sample of sink.samples(from)) {
        if (run !== this.run) {
          sample.close()
          return
        }
        this.ring.push(sample)
        while (this.ring.length >= RING && run === this.run) await new Promise((done) => setTimeout(done, 8))
        if (run !== this.run) return
      }
    } catch (error) {
      if (run === this.run) console.error(error)
    }
  }

  private clamp(frame: number): number {
    return Math.max(0, Math.min(frame, Math.max(0, this.frames - 1)))
  }

  private isShown(frame: number): boolean {
    if (!this.shown) return false
    return Math.round(((this.shown.timestamp - this.offset) * this.rate.above) / this.rate.below) === frame
  }

  private draw(sample: VideoSample): void {
    this.shown?.close()
    this.shown = sample
    this.paint()
  }

  private paint(): void {
    for (const canvas of this.canvases) {
      const ctx = canvas.getContext('2d')
      if (!ctx) continue
      if (!this.shown) {
        ctx.clearRect(0, 0, canvas.width, canvas.height)
        continue
      }
      const { displayWidth, displayHeight } = this.shown
      if (canvas.width !== displayWidth || canvas.height !== displayHeight) {
        canvas.width = displayWidth
        canvas.height = displayHeight
      }
      this.shown.draw(ctx, 0, 0)
    }
  }
}
