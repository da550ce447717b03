import { describe, expect, it } from 'vitest'
import { partAt, partsOf, type ReelClip, type ReelSource, sizeOf } from './reel'
import { firstSample, SAMPLE_RATE } from './time'

const source = (more: Partial<ReelSource>): ReelSource => ({
  id: 'f',
  state: 'ready',
  fps: [30_000, 1001],
  length: 400 * SAMPLE_RATE,
  segments: 0,
  segment_frames: 0,
  has_proxy: false,
  plays_at_once: false,
  ...more,
})
const clip = (start: number, end: number, first: number, more: Partial<ReelClip> = {}): ReelClip => ({
  kind: 'film',
  source: 'f',
  page: 0,
  span: [start, end],
  first,
  name: '',
  colour: 'slate',
  ...more,
})

describe('the parts of a reel', () => {
  it('plays a film as it came until its proxy is whole', () => {
    const [part] = partsOf([clip(0, 9_600, 480)], [source({ plays_at_once: true, segments: 1, segment_frames: 60 })])
    expect(part).toEqual({ span: [0, 9_600], first: 480, show: { kind: 'film', url: '/api/sources/f/picture/' } })
  })

  it('joins the segments of a proxy without a hole, and says what is still being made', () => {
    const made = source({ segments: 2, segment_frames: 60 })
    const from = firstSample(50, { above: 30_000, below: 1001, drop: false })
    const parts = partsOf([clip(1_000, 1_000 + 5 * SAMPLE_RATE, from)], [made])
    expect(parts[0]!.span[0]).toBe(1_000)
    expect(parts.at(-1)!.span[1]).toBe(1_000 + 5 * SAMPLE_RATE)
    for (let n = 1; n < parts.length; n++) {
      expect(parts[n]!.span[0]).toBe(parts[n - 1]!.span[1])
      expect(parts[n]!.first).toBe(0)
    }
    const shown = parts.map(({ show }) => (show.kind === 'film' ? show.url : show.kind))
    expect(shown).toEqual(['/api/sources/f/picture/0/', '/api/sources/f/picture/1/', 'nothing', 'nothing'])
  })

  it('finds the part of any position', () => {
    const card = { kind: 'card' as const, words: '', colour: 'slate' }
    const parts = [0, 10, 30, 31].map((start, n, all) => ({
      span: [start, all[n + 1] ?? 50] as const,
      first: 0,
      show: card,
    }))
    expect([-5, 0, 9, 10, 30, 31, 99].map((at) => partAt(parts, at))).toEqual([0, 0, 0, 1, 2, 3, 3])
  })

  it('draws as large as the first film, at most 960 by 540', () => {
    expect(sizeOf([{ kind: 'still', width: 4000, height: 3000 }])).toEqual([960, 540])
    expect(sizeOf([{ kind: 'film', width: 320, height: 180 }])).toEqual([320, 180])
    expect(sizeOf([{ kind: 'film', width: 1080, height: 1920 }])).toEqual([304, 540])
  })
})
