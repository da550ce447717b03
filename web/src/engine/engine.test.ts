import { describe, expect, it } from 'vitest'
import { HeardClock, median } from './clock'
import { joinSpans } from './ducking'
import { FrameCounter, QUANTUM } from './framecounter'
import { packSamples } from './pack'
import { firstSample, frameAt, SAMPLE_RATE, timecode } from './time'
import cases from './timecode.cases.json'

describe('time', () => {
  it('counts as the core does, at every rate', () => {
    for (const [above, below, drop, frame, text, first] of cases as [number, number, boolean, number, string, number][]) {
      const rate = { above, below, drop }
      expect(timecode(frame, rate)).toBe(text)
      expect(firstSample(frame, rate)).toBe(first)
      expect(frameAt(first, rate)).toBe(frame)
      expect(frameAt(first - 1, rate)).toBe(frame - 1)
    }
  })
})

describe('the heard clock', () => {
  const readings = (offsets: number[]) => {
    let n = 0
    return () => ({ contextTime: n * 0.02 + offsets[n]!, performanceTime: 1000 + 20 * n++ })
  }

  it('is not moved by a single wrong reading', () => {
    const offsets = Array.from({ length: 12 }, (_, n) => (n === 7 ? 0.5 : 0))
    const clock = new HeardClock(readings(offsets))
    for (let n = 0; n < 12; n++) clock.tick()
    expect(clock.heardFrame(2000)).toBe(SAMPLE_RATE)
  })

  it('tells when sound really stopped, and gives every reading to the log', () => {
    const offsets = Array.from({ length: 45 }, (_, n) => (n < 20 ? 0 : -0.05))
    const clock = new HeardClock(readings(offsets))
    let breaks = 0
    const log: [number, number][] = []
    clock.onBreak = () => breaks++
    clock.onReading = (frame, time) => log.push([frame, time])
    for (let n = 0; n < 45; n++) clock.tick()
    expect(breaks).toBe(1)
    expect(clock.heardFrame(2000)).toBe(SAMPLE_RATE * 0.95)
    expect(log).toHaveLength(45)
    expect(log[40]).toEqual([(0.8 - 0.05) * SAMPLE_RATE, 1_800_000])
  })

  it('takes the middle of its readings', () => {
    expect(median([3, 1, 2])).toBe(2)
    expect(median([4, 1, 2, 3])).toBe(2.5)
  })
})

describe('the frame counter', () => {
  const run = (labels: number[]) => {
    const counter = new FrameCounter()
    return labels.map((label) => counter.advance(label))
  }

  it('begins at the first label and goes on by quanta', () => {
    expect(run([640, 768, 896])).toEqual([
      { first: 640, missing: 0, repeated: 0 },
      { first: 768, missing: 0, repeated: 0 },
      { first: 896, missing: 0, repeated: 0 },
    ])
  })

  it('takes a repeated label that is made up by the next for what it is', () => {
    expect(run([0, QUANTUM, QUANTUM, 3 * QUANTUM, 4 * QUANTUM]).every(({ missing }) => missing === 0)).toBe(true)
  })

  it('finds a block that was given twice, and counts on by the labels', () => {
    const found = run([0, 128, 128, 256, 384, 512])
    expect(found.map(({ repeated }) => repeated)).toEqual([0, 0, 0, 128, 0, 0])
    expect(found.at(-1)!.first).toBe(512)
  })

  it('finds a gap once, and what follows lies where it belongs', () => {
    const found = run([0, 128, 512, 640])
    expect(found.map(({ missing }) => missing)).toEqual([0, 0, 256, 0])
    expect(found.map(({ first }) => first)).toEqual([0, 128, 512, 640])
  })
})

describe('packing', () => {
  it('writes 24 bits little-endian, rounded and clipped', () => {
    const bytes = new Uint8Array(packSamples(new Float32Array([0, 0.5, -0.5, 1, -1, 2, 2 ** -23])))
    const values = Array.from({ length: 7 }, (_, n) => {
      const raw = bytes[n * 3]! | (bytes[n * 3 + 1]! << 8) | (bytes[n * 3 + 2]! << 16)
      return raw > 0x7fffff ? raw - 0x1000000 : raw
    })
    expect(values).toEqual([0, 4194304, -4194304, 8388607, -8388608, 8388607, 1])
  })
})

describe('joined spans', () => {
  it('keeps the bed down between two sentences, and lets it up in a pause', () => {
    expect(
      joinSpans(
        [
          [300, 400],
          [0, 100],
          [150, 250],
        ],
        60,
      ),
    ).toEqual([[0, 400]])
    expect(
      joinSpans(
        [
          [0, 100],
          [200, 300],
        ],
        60,
      ),
    ).toHaveLength(2)
  })
})
