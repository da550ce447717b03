import { Audio } from './audio'
import { Picture } from './picture'
import { type Begun, Recorder } from './recorder'
import { Sounds } from './sounds'
import { Transport } from './transport'

/** What the engine asks of the server. */
export type Doors = {
  begin: (line: string, input: string) => Promise<Begun>
  abandon: (take: string) => Promise<void>
}

/** The parts that capture and play, on one clock. Plain TypeScript: React only watches them. */
export class Engine {
  readonly audio = new Audio()
  readonly transport = new Transport(this.audio)
  readonly picture = new Picture()
  readonly sounds = new Sounds(this.audio)
  readonly recorder: Recorder
  /** Called once an animation frame with the heard position. */
  readonly onFrame = new Set<(position: number) => void>()
  private rolling = false

  constructor(doors: Doors) {
    this.recorder = new Recorder(this.audio, this.transport, doors.begin, doors.abandon)
    this.transport.state.watch(() => this.follow())
    const frame = (now: number) => {
      this.recorder.tick()
      const position = this.transport.position(now)
      this.picture.tick(position, now)
      for (const draw of this.onFrame) draw(position)
      requestAnimationFrame(frame)
    }
    requestAnimationFrame(frame)
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
