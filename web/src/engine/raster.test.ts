import { describe, expect, it } from 'vitest'
import { LiveWave } from './livewave'
import { phasesOf, Raster } from './raster'
import { firstSample, type Rate, SAMPLE_RATE } from './time'

const TICK = 1000 / 60
const RATES: [number, number][] = [
  [24, 1],
  [25, 1],
  [30, 1],
  [50, 1],
  [60, 1],
]

/** How far each frame is drawn from where it is heard, when it is drawn at the tick nearest to it (milliseconds). */
function off(rate: Rate, from: number, begun: number, heard: (now: number) => number): number[] {
  return Array.from({ length: 200 }, (_, n) => {
    const due = begun + firstSample(n + 10, rate) - from
    const exact = (due - heard(0)) / SAMPLE_RATE / (TICK / 1000)
    return (Math.ceil(exact - 0.5) - exact) * TICK
  })
}

describe('the raster', () => {
  it.each(RATES)('lays the frames of %i/%i evenly on the ticks, wherever a run begins', (above, below) => {
    const rate = { above, below, drop: false }
    for (const [from, earliest, shift] of [
      [0, 70_000, 0],
      [-168_000, 123_457, 0.013],
      [48_123, 99_999, 0.4],
    ] as const) {
      const heard = (now: number) => (now / 1000 + shift) * SAMPLE_RATE
      const raster = new Raster()
      for (let n = 0; n <= 40; n++) raster.tick(n * TICK)
      const begun = raster.align(from, earliest, rate, heard)
      expect(begun).toBeGreaterThanOrEqual(earliest)
      expect(begun - earliest).toBeLessThan(SAMPLE_RATE / 50)
      const found = off(rate, from, begun, heard)
      const mean = found.reduce((sum, one) => sum + one, 0) / found.length
      expect(Math.abs(mean)).toBeLessThan(0.15)
      expect(Math.max(...found.map(Math.abs))).toBeLessThan(TICK / 2 - 0.5 * (above < 60 && above !== 30 ? 1 : 0))
    }
  })

  it('takes a dropped tick for what it is, and begins at once when there were no ticks', () => {
    const raster = new Raster()
    expect(raster.align(0, 5000, { above: 25, below: 1, drop: false }, () => 0)).toBe(5000)
    for (const now of [0, 16.7, 33.3, 50, 100, 116.7, 133.3, 150]) raster.tick(now)
    expect(raster.between).toBeCloseTo(16.7, 1)
  })

  it('knows how many places the frames take', () => {
    expect([24, 25, 30, 50, 60, 23.976, 29.97].map((fps) => phasesOf(60 / fps))).toEqual([2, 5, 1, 5, 1, 2, 1])
  })
})

describe('the growing wave', () => {
  it('keeps every peak and stays small, however long it grows', () => {
    const wave = new LiveWave(1024)
    let highest = 0
    for (let n = 0; n < 350_000; n++) {
      const peak = n === 123_456 ? 0.9 : (n % 97) / 200
      highest = Math.max(highest, peak)
      wave.push(peak)
    }
    expect(wave.length).toBeLessThanOrEqual(4096)
    expect(wave.length * wave.per).toBeGreaterThan(350_000 * 1024 * 0.99)
    expect(wave.top(0, wave.length)).toBeCloseTo(highest, 6)
    const at = Math.floor((123_456 * 1024) / wave.per)
    expect(wave.top(at, at + 1)).toBeCloseTo(0.9, 6)
    wave.clear()
    expect([wave.length, wave.per]).toEqual([0, 1024])
  })
})
