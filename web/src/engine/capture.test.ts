import { beforeEach, describe, expect, it, vi } from 'vitest'
import { dice } from '../testing'
import type { CapturedPiece, CaptureNews, CaptureOrder } from './capture.worklet'

const Q = 128

/** The worklet as the browser runs it, quantum by quantum, with labels that the test sets. */
class Bench {
  news: CaptureNews[] = []
  pieces: CapturedPiece[] = []
  private processor: {
    process(inputs: Float32Array[][]): boolean
    port: { onmessage: (event: { data: CaptureOrder }) => void }
  }

  constructor(processor: new () => Bench['processor']) {
    this.processor = new processor()
    ;(this.processor.port as unknown as { postMessage: (news: CaptureNews) => void }).postMessage = (news) =>
      this.news.push(news)
    this.tell({
      kind: 'sink',
      port: { postMessage: (piece: CapturedPiece) => this.pieces.push(piece) } as unknown as MessagePort,
    })
  }

  tell(order: CaptureOrder): void {
    this.processor.port.onmessage({ data: order })
  }

  /** One quantum whose samples are their own frame numbers. */
  run(label: number, frame = label): void {
    vi.stubGlobal('currentFrame', label)
    this.processor.process([[Float32Array.from({ length: Q }, (_, n) => frame + n)]])
  }

  /** What is told to be missing, or given twice: [sample, samples]. */
  told(kind: 'gaps' | 'repeats'): [number, number][] {
    return this.news.flatMap((news) => (news.kind === kind ? [[news.at, news.count] as [number, number]] : []))
  }

  get sound(): number[] {
    return this.pieces.flatMap((piece) => [...piece.samples])
  }
}

let Capture: new () => never

beforeEach(async () => {
  vi.resetModules()
  vi.stubGlobal(
    'AudioWorkletProcessor',
    class {
      port = { onmessage: null, postMessage: () => {} }
    },
  )
  vi.stubGlobal('registerProcessor', (_name: string, made: new () => never) => {
    Capture = made
  })
  await import('./capture.worklet')
})

const bench = () => new Bench(Capture as never)

describe('capture', () => {
  it.each([
    [1000, 30_000],
    [1024, 1025],
    [1023, 40_001],
  ])('keeps exactly the frames from %i until %i', (from, until) => {
    const one = bench()
    one.run(0)
    one.tell({ kind: 'arm', id: 'a', from })
    for (let frame = Q; frame < until - 5000; frame += Q) one.run(frame)
    one.tell({ kind: 'end', at: until })
    const start = Math.max(Q, Math.ceil((until - 5000) / Q) * Q)
    for (let frame = start; frame < until + 4 * Q; frame += Q) one.run(frame)
    expect(one.sound).toEqual(Array.from({ length: until - from }, (_, n) => from + n))
    expect(one.news.at(-1)?.kind === 'ended' || one.news.some((news) => news.kind === 'ended')).toBe(true)
    expect(one.news.find((news) => news.kind === 'ended')).toMatchObject({ total: until - from })
    expect(one.told('gaps')).toEqual([])
  })

  it('numbers its pieces without a hole or an overlap', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 0 })
    for (let frame = 0; frame < 48_000; frame += Q) one.run(frame)
    let next = 0
    for (const piece of one.pieces) {
      expect(piece.offset).toBe(next)
      next += piece.samples.length
    }
    expect(next).toBeGreaterThan(38_000)
  })

  it('fills a gap with silence, says where, and shifts nothing that follows', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 0 })
    one.run(0)
    one.run(Q)
    one.run(5 * Q)
    one.tell({ kind: 'end', at: 6 * Q })
    one.run(6 * Q)
    expect(one.news.find((news) => news.kind === 'ended')).toMatchObject({ total: 6 * Q })
    expect(one.told('gaps')).toEqual([[2 * Q, 3 * Q]])
    expect(one.sound[2 * Q]).toBe(0)
    expect(one.sound[5 * Q]).toBe(5 * Q)
    expect(one.sound).toHaveLength(6 * Q)
  })

  it.each([1, 2, 7])('takes a label that stands still for %i more quanta for what it is', (stood) => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 0 })
    one.run(0)
    one.run(Q)
    for (let n = 0; n < stood; n++) one.run(Q, (2 + n) * Q)
    one.run((2 + stood) * Q)
    one.tell({ kind: 'end', at: (4 + stood) * Q })
    one.run((3 + stood) * Q)
    expect(one.sound).toEqual(Array.from({ length: (4 + stood) * Q }, (_, n) => n))
    expect([...one.told('gaps'), ...one.told('repeats')]).toEqual([])
  })

  it('finds every gap among labels that stand still, and keeps all that it was given', () => {
    for (let seed = 1; seed <= 8; seed++) {
      const one = bench()
      const throws = dice(seed)
      one.tell({ kind: 'arm', id: 'a', from: 0 })
      let frame = 0
      let label = 0
      let lost = 0
      for (let n = 0; n < 300; n++) {
        // A skipped block is seen as such only when the labels move on.
        const stands = n > 0 && throws() < 0.2
        if (!stands && n > 0 && throws() < 0.1) {
          const skipped = Math.ceil(throws() * 5) * Q
          frame += skipped
          lost += skipped
        }
        if (!stands) label = frame
        one.run(label, frame)
        frame += Q
      }
      one.tell({ kind: 'end', at: frame + Q })
      one.run(frame)
      const silent = new Set(one.told('gaps').flatMap(([at, missing]) => Array.from({ length: missing }, (_, k) => at + k)))
      expect(silent.size, `seed ${seed}`).toBe(lost)
      expect(one.sound, `seed ${seed}`).toEqual(Array.from({ length: frame + Q }, (_, n) => (silent.has(n) ? 0 : n)))
    }
  })

  it('keeps one of a block that was given twice', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 0 })
    for (const label of [0, Q, Q, 2 * Q, 3 * Q]) one.run(label)
    one.tell({ kind: 'end', at: 5 * Q })
    one.run(4 * Q)
    expect(one.sound[4 * Q]).toBe(4 * Q)
    expect(one.sound).toHaveLength(5 * Q)
    expect(one.told('gaps')).toEqual([])
    expect(one.told('repeats')).toEqual([[3 * Q, Q]])
  })

  it('begins with silence when the order came late, so that nothing shifts', () => {
    const one = bench()
    one.run(0)
    one.tell({ kind: 'arm', id: 'a', from: 100 })
    one.run(4 * Q)
    one.tell({ kind: 'end', at: 5 * Q })
    one.run(5 * Q)
    expect(one.sound[4 * Q - 100]).toBe(4 * Q)
    expect(one.sound.slice(0, 4 * Q - 100).every((sample) => sample === 0)).toBe(true)
    expect(one.news.find((news) => news.kind === 'ended')).toMatchObject({ total: 5 * Q - 100 })
    expect(one.told('gaps')).toEqual([[0, 4 * Q - 100]])
  })

  it('keeps nothing of a pause and goes on without a joint', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 50 })
    for (let label = 0; label < 10 * Q; label += Q) one.run(label)
    one.tell({ kind: 'hold', at: 10 * Q + 7 })
    for (let label = 10 * Q; label < 20 * Q; label += Q) one.run(label)
    expect(one.news.find((news) => news.kind === 'held')).toMatchObject({ id: 'a', total: 10 * Q + 7 - 50 })
    one.tell({ kind: 'resume', from: 22 * Q + 3 })
    for (let label = 20 * Q; label < 30 * Q; label += Q) one.run(label)
    one.tell({ kind: 'end', at: 30 * Q })
    one.run(30 * Q)
    const first = Array.from({ length: 10 * Q + 7 - 50 }, (_, n) => 50 + n)
    const second = Array.from({ length: 8 * Q - 3 }, (_, n) => 22 * Q + 3 + n)
    expect(one.sound).toEqual([...first, ...second])
    expect(one.news.find((news) => news.kind === 'ended')).toMatchObject({ total: first.length + second.length })
    expect(one.told('gaps')).toEqual([])
  })

  it('ends at once what was held', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 0 })
    one.run(0)
    one.tell({ kind: 'hold', at: 0 })
    one.run(Q)
    one.tell({ kind: 'end', at: 99 * Q })
    expect(one.news.at(-1)).toMatchObject({ kind: 'ended', total: Q })
  })

  it('gives what is only listened to to whoever listens, not to the outbox', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'loop', from: 0, here: true })
    one.tell({ kind: 'end', at: 2 * Q })
    one.run(0)
    one.run(Q)
    expect(one.pieces).toHaveLength(0)
    expect(one.news.find((news) => news.kind === 'piece')).toMatchObject({ id: 'loop', offset: 0 })
  })

  it('tells the peak of what passes, and flat tops as clipping', () => {
    const one = bench()
    const feed = (value: number) => {
      vi.stubGlobal('currentFrame', 0)
      const processor = (one as unknown as { processor: { process(inputs: Float32Array[][]): boolean } }).processor
      for (let n = 0; n < 8; n++) processor.process([[new Float32Array(Q).fill(value)]])
    }
    feed(0.25)
    expect(one.news.at(-1)).toMatchObject({ kind: 'level', peak: 0.25, rms: 0.25, clipped: false })
    feed(1)
    expect(one.news.at(-1)).toMatchObject({ kind: 'level', peak: 1, clipped: true })
  })

  it('drops what was called off', () => {
    const one = bench()
    one.tell({ kind: 'arm', id: 'a', from: 0 })
    one.run(0)
    one.tell({ kind: 'drop' })
    for (let frame = Q; frame < 20_000; frame += Q) one.run(frame)
    expect(one.pieces).toHaveLength(0)
  })
})
