import { describe, expect, it } from 'vitest'
import type { Take } from '../../api/client'
import { without } from '../../engine/time'
import { wordAt, wordsText } from './making'

const word = (ordinal: number, text: string, mark: 'read' | 'again' | 'left out', span: number[] | null) => ({
  ordinal,
  text,
  mark,
  span,
})
const take = {
  read: {
    state: 'checked',
    words: [
      word(0, 'Then', 'again', [0, 10]),
      word(0, 'Then', 'read', [20, 30]),
      word(1, 'the', 'read', [30, 34]),
      word(2, 'keeper', 'left out', null),
      word(3, 'lifts', 'read', [50, 70]),
    ],
    put_in: [],
  },
} as unknown as Take

describe('words that are chosen by ear', () => {
  it('finds the word that is said, and between two the next one', () => {
    expect([0, 25, 30, 40, 60, 500].map((at) => wordAt(take, at))).toEqual([0, 0, 1, 3, 3, 3])
    expect(wordAt({ read: null } as unknown as Take, 5)).toBeUndefined()
  })

  it('says them as the page does, each once, and shortens long ones in their middle', () => {
    expect(wordsText(take, { first: 0, last: 3 })).toBe('Then the keeper lifts')
    const long = Array.from({ length: 30 }, (_, n) => word(n, `word${n}`, 'read', [n, n + 1]))
    const said = wordsText({ read: { ...take.read, words: long } } as unknown as Take, { first: 0, last: 29 })
    expect(said).toMatch(/^word0 word1 .* … .*word29$/)
    expect(said.length).toBeLessThan(64)
  })
})

describe('what is left of a stretch', () => {
  it('lies around what is taken out, in order', () => {
    expect(without([10, 100], [])).toEqual([[10, 100]])
    expect(
      without(
        [10, 100],
        [
          [60, 70],
          [0, 20],
          [65, 80],
        ],
      ),
    ).toEqual([
      [20, 60],
      [80, 100],
    ])
    expect(without([10, 100], [[0, 200]])).toEqual([])
  })
})
