import { DecodedFrames, type Shot, shotOf } from './decodedframes'
import { Films } from './films'
import { Observable } from './observable'
import { GROUNDS, type Part, partAt, STAMP_TOLERANCE } from './reel'
import { firstSample, frameAt, type Rate, SAMPLE_RATE } from './time'

const RING = 10
/** In frames: containers round time stamps to a millisecond. */
const GRID_TOLERANCE = 0.07
/** How long before the end of a part the next one's first frame is decoded. */
const EARLY = 2 * SAMPLE_RATE

export type PictureState = 'none' | 'loading' | 'ready' | 'failed'

/**
 * The reel, drawn frame by frame on canvases for the position that is heard.
 *
 * A <video> element would be a clock of its own. Here the transport's clock is the only one: each animation frame draws
 * the frame that belongs to the sample heard now, whichever clip it comes from, and every frame is closed as soon as it
 * is passed. Shortly before a clip ends the next one's first frame is decoded, so that a cut falls on its frame.
 */
export class Picture {
  readonly state = new Observable<PictureState>('none')
  rate: Rate = { above: 25, below: 1, drop: false }
  private readonly canvases = new Set<HTMLCanvasElement>()
  private readonly films = new Films()
  private readonly nearby = new DecodedFrames()
  private parts: readonly Part[] = []
  private size: readonly [number, number] = [960, 540]
  private run = 0
  private ring: Shot[] = []
  private shown: Shot | undefined
  /** The frame in sight, while it rests there; undefined when the reel has changed since. */
  private resting: number | undefined
  /** How often something was drawn. */
  private draws = 0
  private wanted = -1
  private fetching = false
  private running = false
  /** Called with each frame drawn while it rolls, and the moment (milliseconds of the page's clock). */
  onSeen: ((frame: number, at: number) => void) | undefined

  /** What is to be drawn from now on. */
  open(parts: readonly Part[], rate: Rate, size: readonly [number, number]): void {
    this.parts = parts
    this.rate = rate
    this.size = size
    this.resting = undefined
    this.nearby.clear()
    if (!parts.length) {
      this.halt()
      this.shown?.close()
      this.shown = undefined
      this.paint()
      this.state.set('none')
      return
    }
    if (!this.shown) this.state.set('loading')
    if (!this.running) this.show(Math.max(0, this.wanted))
  }

  /** Draw on this canvas from now on; the returned function ends it. */
  attach(canvas: HTMLCanvasElement): () => void {
    this.canvases.add(canvas)
    this.paint()
    return () => this.canvases.delete(canvas)
  }

  /** The frame of a resting position. Only the newest wish is fetched. */
  show(position: number): void {
    this.wanted = position
    const frame = this.clamp(position)
    if (this.running || !this.parts.length || frame === this.resting) return
    const near = this.nearby.get(frame)
    if (near) this.rest(near.keep(), frame)
    if (near || this.fetching || this.nearby.awaits(frame)) return
    this.nearby.abandon()
    this.fetching = true
    const { parts, run, draws } = this
    const current = () => parts === this.parts && run === this.run && draws === this.draws && !this.running
    void this.frame(frame)
      .then((shot) => {
        if (!shot) return
        if (!current()) return shot.close()
        this.rest(shot, frame)
      })
      .catch((error) => {
        // A reel that was changed meanwhile has nothing to say any more.
        if (!current()) return
        console.error(error)
        this.resting = frame
        this.state.set('failed')
      })
      .finally(() => {
        this.fetching = false
        if (!this.running) this.show(this.wanted)
      })
  }

  private rest(shot: Shot, frame: number): void {
    this.draw(shot)
    this.resting = frame
    const part = this.parts[partAt(this.parts, firstSample(frame, this.rate))]!
    if (part.show.kind !== 'film') return
    const limits = [frameAt(part.span[0] - 1, this.rate) + 1, frameAt(part.span[1] - 1, this.rate)] as const
    void this.nearby.gather(
      frame,
      shot,
      limits,
      (from) => this.frames(part, firstSample(from, this.rate)),
      (near) => frameAt(near.at, this.rate),
      () => this.show(this.wanted),
    )
  }

  /** Decode on from a position; `tick` then draws what is heard. */
  roll(position: number): void {
    this.halt()
    this.nearby.clear()
    if (!this.parts.length) return
    this.running = true
    this.resting = undefined
    void this.fill(++this.run, firstSample(this.clamp(position), this.rate))
  }

  /** End decoding ahead. */
  halt(): void {
    this.run++
    this.nearby.abandon()
    this.running = false
    for (const shot of this.ring) shot.close()
    this.ring = []
  }

  /** Draw the frame that belongs to the position heard now; called once an animation frame. */
  tick(position: number, now: number): void {
    if (!this.running) return
    let newest: Shot | undefined
    while (this.ring.length && this.ring[0]!.at <= position + STAMP_TOLERANCE) {
      newest?.close()
      newest = this.ring.shift()
    }
    if (!newest) return
    this.draw(newest)
    this.onSeen?.(Math.round((newest.at * this.rate.above) / (SAMPLE_RATE * this.rate.below)), now)
  }

  /** One frame of the programme. */
  private async frame(frame: number): Promise<Shot | null> {
    const position = firstSample(frame, this.rate)
    const part = this.parts[partAt(this.parts, position)]!
    if (part.show.kind !== 'film') return this.plain(part, position)
    const { sink, offset } = await this.films.get(part.show.url)
    const sample = await sink.getSample(offset + this.secondsIn(part, position))
    return sample && this.filmed(sample, position)
  }

  /** The moment of a part's file at which the frame of a position is asked for: its middle, where rounding can't reach. */
  private secondsIn(part: Part, position: number): number {
    const half = this.rate.below / this.rate.above / 2
    return (part.first + position - part.span[0]) / SAMPLE_RATE + half
  }

  private filmed(
    sample: { displayWidth: number; displayHeight: number; draw: DrawSample; close: () => void },
    at: number,
  ): Shot {
    const draw = (ctx: CanvasRenderingContext2D) =>
      this.fitted(ctx, sample.displayWidth, sample.displayHeight, (box) => sample.draw(ctx, ...box))
    return shotOf(at, draw, () => sample.close())
  }

  /** A still, a page or a card: one thing to draw for as long as it stands. */
  private async plain(part: Part, at: number): Promise<Shot> {
    const { show } = part
    if (show.kind === 'page') {
      const answer = await fetch(show.url, { credentials: 'same-origin' })
      if (!answer.ok) throw new Error(`the page could not be read (${answer.status})`)
      const image = await createImageBitmap(await answer.blob())
      const draw = (ctx: CanvasRenderingContext2D) =>
        this.fitted(ctx, image.width, image.height, (box) => ctx.drawImage(image, ...box))
      return shotOf(at, draw, () => image.close())
    }
    const card = show.kind === 'card' ? show : { words: 'this part is being made playable', colour: 'black' }
    return shotOf(
      at,
      (ctx) => this.card(ctx, card.words, card.colour),
      () => {},
    )
  }

  private card(ctx: CanvasRenderingContext2D, words: string, colour: string): void {
    const [width, height] = this.size
    ctx.fillStyle = GROUNDS[colour as keyof typeof GROUNDS] ?? GROUNDS.black
    ctx.fillRect(0, 0, width, height)
    ctx.fillStyle = colour === 'sand' ? '#23282a' : '#f4efe4'
    ctx.textAlign = 'center'
    ctx.textBaseline = 'middle'
    const tall = Math.max(12, height / 16)
    ctx.font = `${tall}px 'Bricolage Grotesque Variable', sans-serif`
    const rows: string[] = []
    for (const word of words.split(' ')) {
      const longer = rows.length ? `${rows.at(-1)} ${word}` : word
      if (rows.length && ctx.measureText(longer).width > width * 0.8) rows.push(word)
      else rows.splice(-1, 1, longer)
    }
    for (const [n, row] of rows.entries()) {
      ctx.fillText(row, width / 2, height / 2 + (n - (rows.length - 1) / 2) * tall * 1.3)
    }
  }

  /** Whole in the middle of the canvas; what is left beside it is black. */
  private fitted(
    ctx: CanvasRenderingContext2D,
    wide: number,
    high: number,
    paint: (box: [number, number, number, number]) => void,
  ): void {
    const [width, height] = this.size
    const share = Math.min(width / wide, height / high)
    // A point more or less is the proxy's rounding, not another shape.
    const [w, h] = [wide * share, high * share].map(Math.round) as [number, number]
    const [dx, dy] = [width - w < 3 ? 0 : Math.round((width - w) / 2), height - h < 3 ? 0 : Math.round((height - h) / 2)]
    if (dx || dy) {
      ctx.fillStyle = '#000000'
      ctx.fillRect(0, 0, width, height)
    }
    paint([dx, dy, dx ? w : width, dy ? h : height])
  }

  /** Every frame of a part from a position on. */
  private async *frames(part: Part, from: number): AsyncGenerator<Shot> {
    if (part.show.kind !== 'film') {
      yield await this.plain(part, from)
      return
    }
    const { sink, offset } = await this.films.get(part.show.url)
    const end = offset + (part.first + part.span[1] - part.span[0] - STAMP_TOLERANCE) / SAMPLE_RATE
    // Of two that fall on one frame of the programme the later is seen: each waits for the one behind it.
    let held: Shot | undefined
    try {
      for await (const sample of sink.samples(offset + this.secondsIn(part, from), end)) {
        const stamp = (sample.timestamp - offset) * SAMPLE_RATE - part.first + part.span[0]
        // Of a film of another rate is seen what the programme's own frames show, as when it rests and when it is handed over.
        const frame = Math.ceil((stamp * this.rate.above) / (SAMPLE_RATE * this.rate.below) - 0.5 - GRID_TOLERANCE)
        const before = held
        held = this.filmed(sample, Math.max(firstSample(frame, this.rate), part.span[0]))
        if (before?.at === held.at) before.close()
        else if (before) yield before
      }
      const last = held
      held = undefined
      if (last) yield last
    } finally {
      held?.close()
    }
  }

  private async fill(run: number, from: number): Promise<void> {
    const { parts } = this
    let ahead: { index: number; frames: AsyncGenerator<Shot>; first: Promise<IteratorResult<Shot>> } | undefined
    const begin = (index: number, at: number) => {
      const frames = this.frames(parts[index]!, at)
      const first = frames.next()
      first.catch(() => {})
      return { index, frames, first }
    }
    const forget = (begun: typeof ahead) => {
      void begun?.first.then(({ value }) => value?.close()).catch(() => {})
      void begun?.frames.return(undefined).catch(() => {})
    }
    for (let index = partAt(parts, from); index < parts.length; index++) {
      const begun = ahead?.index === index ? ahead : begin(index, Math.max(from, parts[index]!.span[0]))
      ahead = undefined
      const { span } = parts[index]!
      try {
        for (let next = await begun.first; !next.done; next = await begun.frames.next()) {
          const shot = next.value
          if (run !== this.run) {
            shot.close()
            forget(ahead)
            return void begun.frames.return(undefined)
          }
          this.ring.push(shot)
          const near = shot.at > span[1] - EARLY || parts[index]!.show.kind !== 'film'
          if (near && !ahead && index + 1 < parts.length) ahead = begin(index + 1, parts[index + 1]!.span[0])
          while (this.ring.length >= RING && run === this.run) await new Promise((done) => setTimeout(done, 8))
          if (run !== this.run) {
            forget(ahead)
            return void begun.frames.return(undefined)
          }
        }
      } catch (error) {
        if (run !== this.run) return forget(ahead)
        // One clip that can't be decoded does not keep the others from being seen.
        console.error(error)
        this.ring.push(await this.plain({ ...parts[index]!, show: { kind: 'nothing' } }, span[0]))
      }
    }
  }

  /** The frame of a position, inside the reel. */
  private clamp(position: number): number {
    const end = this.parts.at(-1)?.span[1] ?? 0
    return frameAt(Math.max(0, Math.min(position, end - 1)), this.rate)
  }

  private draw(shot: Shot): void {
    this.shown?.close()
    this.shown = shot
    this.draws++
    this.state.set('ready')
    this.paint()
  }

  private paint(): void {
    const [width, height] = this.size
    for (const canvas of this.canvases) {
      const ctx = canvas.getContext('2d')
      if (!ctx) continue
      if (!this.shown) {
        ctx.clearRect(0, 0, canvas.width, canvas.height)
        continue
      }
      if (canvas.width !== width || canvas.height !== height) {
        canvas.width = width
        canvas.height = height
      }
      this.shown.draw(ctx)
    }
  }
}

type DrawSample = (ctx: CanvasRenderingContext2D, dx: number, dy: number, dw: number, dh: number) => void
