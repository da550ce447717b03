import { describe, expect, it } from 'vitest'
import { SAMPLE_RATE, type Span } from '../engine/time'
import { firstInSight, following, holdAt, kept, movedSlot, rulerStep, sampleAt, xOf, zoomed } from './layout'

const MINUTE = 60 * SAMPLE_RATE
const view = { first: 0, perPoint: 2400 }

describe('the strip', () => {
  it('zooms around the pointer', () => {
    const under = sampleAt(400, view)
    const closer = zoomed(view, 0.5, 400, 1000, 10 * MINUTE)
    expect(xOf(under, closer)).toBeCloseTo(400, 6)
    expect(closer.perPoint).toBe(1200)
  })

  it('never zooms out past the programme nor scrolls out of it', () => {
    const far = zoomed(view, 1e9, 0, 1000, MINUTE)
    expect(far.perPoint * 1000).toBeCloseTo(MINUTE * 1.02, 0)
    expect(kept({ first: -1e9, perPoint: 100 }, 1000, MINUTE).first).toBe(-1600)
    const last = kept({ first: 1e12, perPoint: 100 }, 1000, MINUTE)
    expect(xOf(MINUTE, last)).toBeGreaterThan(900)
  })

  it('turns on when the playhead leaves it, and rests while it is inside', () => {
    expect(following(view, 500 * 2400, 1000, 10 * MINUTE, true)).toBe(view)
    const turned = following(view, 950 * 2400, 1000, 10 * MINUTE, true)
    expect(xOf(950 * 2400, turned)).toBeCloseTo(120, 6)
  })

  it('marks the ruler so that texts do not touch', () => {
    for (const perPoint of [50, 480, 2400, 24_000, 480_000]) {
      const step = rulerStep({ first: 0, perPoint })
      expect((step * SAMPLE_RATE) / perPoint).toBeGreaterThanOrEqual(96)
    }
  })

  it('finds where drawing begins by halving', () => {
    const spans: Span[] = Array.from({ length: 1000 }, (_, n) => [n * 100, n * 100 + 50])
    expect(firstInSight(spans, 0)).toBe(0)
    expect(firstInSight(spans, 50_020)).toBe(500)
    expect(firstInSight(spans, 50_050)).toBe(501)
    expect(firstInSight(spans, 1e9)).toBe(1000)
  })
})

describe('slots taken by hand', () => {
  const view = { first: 0, perPoint: 100 }
  const slots: { id: string; span: [number, number] }[] = [
    { id: 'a', span: [1000, 3000] },
    { id: 'b', span: [3000, 6000] },
  ]
  it('an end near the pointer is taken, of two the chosen slot’s; the middle of the chosen one takes it whole', () => {
    expect(holdAt(11, view, slots, null)).toEqual({ id: 'a', hold: 'start' })
    expect(holdAt(30, view, slots, 'a')).toEqual({ id: 'a', hold: 'end' })
    expect(holdAt(30, view, slots, 'b')).toEqual({ id: 'b', hold: 'start' })
    expect(holdAt(45, view, slots, 'b')).toEqual({ id: 'b', hold: 'whole' })
    expect(holdAt(45, view, slots, 'a')).toBeNull()
  })
  it('what is held goes to the nearest edge, stays long enough and inside the programme', () => {
    expect(movedSlot([1000, 3000], 'end', 1400, view, [5000], 200)).toEqual([1000, 5000])
    expect(movedSlot([1000, 3000], 'end', 1400, view, [], 200)).toEqual([1000, 4400])
    expect(movedSlot([1000, 3000], 'start', 9000, view, [], 200)).toEqual([2800, 3000])
    expect(movedSlot([1000, 3000], 'start', -5000, view, [], 200)).toEqual([0, 3000])
    expect(movedSlot([1000, 3000], 'whole', 900, view, [4500, 1200], 200)).toEqual([2500, 4500])
    expect(movedSlot([1000, 3000], 'whole', -4000, view, [], 200)).toEqual([0, 2000])
  })
})
