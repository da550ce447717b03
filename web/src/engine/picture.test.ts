import { VideoSampleSink } from 'mediabunny'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { Picture } from './picture'
import type { Part } from './reel'
import { firstSample, SAMPLE_RATE } from './time'

const RATE = { above: 24_000, below: 1001, drop: false }
const FRAMES = 240

const whole: Part = { span: [0, firstSample(FRAMES, RATE)], first: 0, show: { kind: 'film', url: '/film' } }

/** Every decoded frame that was made, so that none is left unclosed. */
let made: FakeFrame[]

class FakeFrame {
  closed = false
  displayWidth = 4
  displayHeight = 3
  readonly timestamp: number
  constructor(readonly frame: number) {
    // Containers round their time stamps: a little early here, a little late there.
    this.timestamp = (frame * RATE.below) / RATE.above + (frame % 2 ? 0.00004 : -0.00004)
    made.push(this)
  }
  draw(ctx: { drawn: number[] }) {
    if (this.closed) throw new Error(`frame ${this.frame} was drawn after it was closed`)
    ctx.drawn.push(this.frame)
  }
  close() {
    if (this.closed) throw new Error(`frame ${this.frame} was closed twice`)
    this.closed = true
  }
}

vi.mock('mediabunny', () => {
  const frameOf = (seconds: number) => Math.min(FRAMES - 1, Math.floor((seconds * RATE.above) / RATE.below + 1e-9))
  return {
    CustomSource: class {},
    Input: class {
      getPrimaryVideoTrack = async () => ({ canDecode: async () => true, getFirstTimestamp: async () => 0 })
      dispose() {}
    },
    VideoSampleSink: class {
      async getSample(seconds: number) {
        return new FakeFrame(frameOf(seconds))
      }
      async *samples(seconds: number, end = Number.POSITIVE_INFINITY) {
        for (let frame = frameOf(seconds); frame < FRAMES; frame++) {
          if ((frame * RATE.below) / RATE.above >= end) return
          yield new FakeFrame(frame)
        }
      }
    },
    MP4: {},
    QTFF: {},
    MATROSKA: {},
    WEBM: {},
  }
})

describe('the picture', () => {
  let picture: Picture
  let drawn: number[]

  const held = () => made.flatMap(({ closed, frame }) => (closed ? [] : frame)).sort((a, b) => a - b)
  const settle = async () => {
    for (let n = 0; n < 20; n++) await new Promise((done) => setTimeout(done, 2))
  }

  beforeEach(async () => {
    made = []
    drawn = []
    picture = new Picture()
    const nothing = () => {}
    const ctx = { drawn, clearRect: nothing, fillRect: () => drawn.push(-1), fillText: nothing, measureText: () => ({}) }
    picture.attach({ width: 1, height: 1, getContext: () => ctx } as unknown as HTMLCanvasElement)
    picture.open([whole], RATE, [4, 3])
    await settle()
  })

  afterEach(() => picture.halt())

  it('shows just the frame of a resting position, at every frame and on both its edges', async () => {
    for (const frame of [0, 1, 23, 24, 100, 239]) {
      for (const sample of [firstSample(frame, RATE), firstSample(frame + 1, RATE) - 1]) {
        picture.show(sample)
        await settle()
        expect(drawn.at(-1)).toBe(frame)
      }
    }
    picture.show(10 ** 9)
    await settle()
    expect(drawn.at(-1)).toBe(FRAMES - 1)
    picture.show(-5000)
    await settle()
    expect(drawn.at(-1)).toBe(0)
  })

  it('draws the frame that belongs to the heard sample while it rolls', async () => {
    picture.roll(firstSample(10, RATE))
    await settle()
    for (let frame = 10; frame < 60; frame++) {
      picture.tick(firstSample(frame, RATE) + 900, frame)
      expect(drawn.at(-1)).toBe(frame)
      await new Promise((done) => setTimeout(done, 12))
    }
  })

  it('of a faster film draws what the programme’s own frames show, however late the film is decoded', async () => {
    const slow = { above: 16, below: 1, drop: false }
    const count = 60
    picture.open([{ ...whole, span: [0, firstSample(count, slow)] }], slow, [4, 3])
    await settle()
    // Decoding lags behind what is heard: each frame is drawn as soon as it is there.
    picture.roll(0)
    drawn.length = 0
    for (let n = 0; n < 2000; n++) {
      picture.tick(firstSample(count, slow), n)
      await Promise.resolve()
    }
    const due = Array.from({ length: count }, (_, n) => Math.floor(((n + 0.5) / 16) * (24_000 / 1001)))
    expect(drawn.filter((frame) => !due.includes(frame))).toEqual([])
    expect(drawn.length).toBeGreaterThan(20)
    picture.halt()
    await settle()
    expect(held().length).toBeLessThanOrEqual(1)
  })

  it('skips what was not heard after a stall, and never goes back', async () => {
    const seen: number[] = []
    picture.onSeen = (frame) => seen.push(frame + 0)
    picture.roll(0)
    await settle()
    picture.tick(0, 0)
    picture.tick(firstSample(7, RATE), 1)
    expect(drawn.at(-1)).toBe(7)
    picture.tick(firstSample(3, RATE), 2)
    expect(drawn.at(-1)).toBe(7)
    expect(seen).toEqual([0, 7])
  })

  it('stays on the first frame through a pre-roll that begins before the film', async () => {
    picture.roll(-2 * SAMPLE_RATE)
    await settle()
    picture.tick(-SAMPLE_RATE, 0)
    expect(drawn.at(-1)).toBe(0)
    picture.tick(firstSample(1, RATE), 1)
    expect(drawn.at(-1)).toBe(1)
  })

  it('closes every frame but the one in sight', async () => {
    picture.show(firstSample(50, RATE))
    await settle()
    picture.roll(firstSample(50, RATE))
    await settle()
    for (let frame = 50; frame < 70; frame += 3) {
      picture.tick(firstSample(frame, RATE), frame)
      await settle()
    }
    picture.halt()
    picture.show(firstSample(5, RATE))
    await settle()
    expect(held()).toEqual([1, 2, 3, 4, 5, 6, 7, 8, 9])
    expect(made.length).toBeGreaterThan(20)
    picture.open([], RATE, [4, 3])
    await settle()
    expect(held()).toEqual([])
  })

  it('finds the frames of the next steps decoded, in both directions', async () => {
    const seek = vi.spyOn(VideoSampleSink.prototype, 'getSample')
    for (const by of [1, -1]) {
      picture.show(firstSample(100, RATE))
      await settle()
      seek.mockClear()
      for (let n = 1; n <= 30; n++) {
        picture.show(firstSample(100 + n * by, RATE))
        expect(drawn.at(-1)).toBe(100 + n * by)
        await settle()
      }
      expect(seek).not.toHaveBeenCalled()
    }
  })

  it('draws the newest wish, whatever was on its way for an older one', async () => {
    for (let round = 0; round < 60; round++) {
      const frame = (round * 7919) % FRAMES
      for (const wish of [frame, frame + 1, frame - 60, frame + 3]) {
        picture.show(firstSample(Math.max(0, wish), RATE))
        if (round % 3 === 0) await new Promise((done) => setTimeout(done))
      }
      if (round % 2) await settle()
      if (round % 2) expect(drawn.at(-1)).toBe(Math.min(FRAMES - 1, frame + 3))
    }
    await settle()
    expect(held().length).toBeLessThanOrEqual(9)
  })

  it('shows at each cut the right frame of the right clip, a card where picture is missing', async () => {
    const at = (frame: number) => firstSample(frame, RATE)
    const film = (from: number, to: number, first: number): Part => ({
      span: [at(from), at(to)],
      first: at(first),
      show: { kind: 'film', url: '/film' },
    })
    const card: Part = { span: [at(20), at(25)], first: 0, show: { kind: 'card', words: '', colour: 'sea' } }
    const parts = [film(0, 20, 100), card, film(25, 40, 7), film(40, 60, 200)]
    picture.open(parts, RATE, [4, 3])
    const due = (frame: number) => {
      if (frame >= 20 && frame < 25) return -1
      return frame < 20 ? 100 + frame : frame < 40 ? frame - 18 : frame + 160
    }
    for (const frame of [0, 19, 20, 24, 25, 39, 40, 59]) {
      picture.show(at(frame))
      await settle()
      expect(drawn.at(-1)).toBe(due(frame))
    }
    picture.roll(0)
    await settle()
    for (let frame = 0; frame < 60; frame++) {
      picture.tick(at(frame) + 900, frame)
      expect(drawn.at(-1)).toBe(due(frame))
      await new Promise((done) => setTimeout(done, 12))
    }
    picture.halt()
    await settle()
    expect(held().length).toBeLessThanOrEqual(1)
  })

  it('holds at most ten frames ahead', async () => {
    picture.roll(0)
    await settle()
    expect(made.filter((frame) => !frame.closed).length).toBeLessThanOrEqual(12)
  })
})
