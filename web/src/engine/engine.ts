import { Audio } from './audio'
import { Frames } from './frames'
import { Input, type InputDoors } from './input'
import { OutboxLink } from './outboxlink'
import { Picture } from './picture'
import { Raster } from './raster'
import { Recorder, type RecorderDoors } from './recorder'
import { Sounds } from './sounds'
import { SAMPLE_RATE } from './time'
import { Transport } from './transport'

/** What the engine asks of the server. */
export type Doors = RecorderDoors & InputDoors & { token: () => string }

/** The parts that capture and play, on one clock. Plain TypeScript: React only watches them. */
export class Engine {
  readonly audio = new Audio()
  readonly transport = new Transport(this.audio)
  readonly picture = new Picture()
  readonly sounds = new Sounds(this.audio)
  readonly input: Input
  readonly outbox: OutboxLink
  readonly recorder: Recorder
  /** Who draws: called with the heard position, once an animation frame while something moves. */
  readonly onFrame: Frames
  private rolling = false
  private readonly raster = new Raster()

  constructor(doors: Doors) {
    this.outbox = new OutboxLink(doors.token)
    this.input = new Input(this.audio, this.transport, doors, (port) => this.outbox.tell({ kind: 'source', port }, [port]))
    this.recorder = new Recorder(this.audio, this.transport, this.picture, this.input, this.outbox, doors)
    this.transport.state.watch(() => this.follow())
    this.transport.align = (from, earliest) =>
      this.raster.align(from, earliest, this.picture.rate, (now) => this.audio.clock.heardFrame(now))
    this.onFrame = new Frames(
      () => (this.transport.state.value.playing || this.recorder.isBusy ? 'moving' : this.input.opened ? 'level' : 'rest'),
      (now, follows) => this.frame(now, follows),
    )
    for (const { watch } of [this.transport.state, this.recorder.state, this.input.chosen, this.picture.state]) {
      watch(() => this.onFrame.wake())
    }
  }

  private frame(now: number, follows: boolean): void {
    this.raster.tick(now, follows)
    this.recorder.tick()
    this.input.tick()
    const position = this.transport.position(now)
    // A frame stands on the screen until the next tick: aimed at the middle of that time it is early as often as late.
    this.picture.tick(position + (this.raster.between / 2000) * SAMPLE_RATE, now)
    this.onFrame.draw(position)
  }

  /** The picture follows the transport: it rolls while that plays, and shows its frame while that rests. */
  private follow(): void {
    const { playing, position, from } = this.transport.state.value
    if (playing && !this.rolling) this.picture.roll(from)
    else if (!playing) {
      if (this.rolling) this.picture.halt()
      this.picture.show(position)
    }
    this.rolling = playing
  }
}
