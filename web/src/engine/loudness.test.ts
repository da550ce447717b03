import { describe, expect, it } from 'vitest'
import { LoudnessMeter, STEP, Weighted } from './loudness'
import { SAMPLE_RATE } from './time'

type Part = [decibel: number, seconds: number]

/** A meter that has heard a stereo sine, part by part, of these levels in dBFS. */
function heard(parts: readonly Part[], each = false): { reading: LoudnessMeter; momentary: number[]; shortTerm: number[] } {
  const weighted = new Weighted()
  const reading = new LoudnessMeter()
  const momentary: number[] = []
  const shortTerm: number[] = []
  let at = 0
  for (const [decibel, seconds] of parts) {
    const peak = 10 ** (decibel / 20)
    for (let left = Math.round(seconds * SAMPLE_RATE); left > 0; left -= STEP) {
      const block = new Float32Array(Math.min(STEP, left))
      for (let n = 0; n < block.length; n++) block[n] = peak * Math.sin((2 * Math.PI * 1000 * at++) / SAMPLE_RATE)
      weighted.process([block, block], block.length, (power) => {
        reading.add(power)
        if (!each) return
        const { now } = reading
        if (now.momentary !== null) momentary.push(now.momentary)
        if (now.shortTerm !== null) shortTerm.push(now.shortTerm)
      })
    }
  }
  return { reading, momentary, shortTerm }
}

/** EBU Tech 3341, the minimum requirements: what each signal reads, within 0.1 LU. */
const CASES: [string, Part[], number][] = [
  ['1', [[-23, 20]], -23],
  ['2', [[-33, 20]], -33],
  [
    '3',
    [
      [-36, 10],
      [-23, 60],
      [-36, 10],
    ],
    -23,
  ],
  [
    '4',
    [
      [-72, 10],
      [-36, 10],
      [-23, 60],
      [-36, 10],
      [-72, 10],
    ],
    -23,
  ],
  [
    '5',
    [
      [-26, 20],
      [-20, 20.1],
      [-26, 20],
    ],
    -23,
  ],
]

describe('loudness while it plays', () => {
  it.each(CASES)('is that of Tech 3341, case %s', (_, parts, wanted) => {
    expect(Math.abs(heard(parts).reading.now.integrated! - wanted)).toBeLessThan(0.1)
  })

  it('follows within 400 ms and 3 s (cases 9 and 12)', () => {
    const short = Array.from({ length: 5 }, (): Part[] => [
      [-20, 1.34],
      [-30, 1.66],
    ]).flat()
    for (const value of heard(short, true).shortTerm) expect(Math.abs(value + 23)).toBeLessThan(0.11)
    const quick = Array.from({ length: 25 }, (): Part[] => [
      [-20, 0.18],
      [-30, 0.22],
    ]).flat()
    for (const value of heard(quick, true).momentary) expect(Math.abs(value + 23)).toBeLessThan(0.11)
  })

  it('says nothing of silence, and nothing before it has heard enough', () => {
    const { reading } = heard([[-200, 5]])
    expect(reading.now).toEqual({ momentary: null, shortTerm: null, integrated: null, seconds: 5 })
    const soon = heard([[-23, 0.3]]).reading.now
    expect([soon.momentary, soon.shortTerm, soon.integrated]).toEqual([null, null, null])
  })
})
