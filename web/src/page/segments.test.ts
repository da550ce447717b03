import { expect, test } from 'vitest'
import { segments, wordAt, wordSpans } from './segments'

const line = { text: 'The mill at Orsey grinds.', stress: [1, 3], sayings: [[12, 17, 'OR-zee']] as never }

test('a line is cut where something begins or ends, and nothing of it is lost', () => {
  const found = segments(line, [[4, 6]])
  expect(found.map((each) => each.text).join('')).toBe(line.text)
  expect(found.filter((each) => each.stress).map((each) => each.text)).toEqual(['mi', 'll', 'Orsey'])
  expect(found.find((each) => each.said)).toMatchObject({ text: 'Orsey', said: 'OR-zee', from: 12 })
  expect(found.filter((each) => each.found).map((each) => each.text)).toEqual(['mi'])
  expect(segments({ text: '', stress: [0], sayings: [] })).toEqual([])
})

test('the word at the caret', () => {
  expect(wordSpans(' a  bc ')).toEqual([
    [1, 2],
    [4, 6],
  ])
  expect([0, 1, 2, 4, 6, 7].map((at) => wordAt(' a  bc ', at))).toEqual([-1, 0, 0, 1, 1, 1])
})

test('while a line is read each of its words tells what became of it', () => {
  const found = segments(line, [], { word: 3, again: [0, 4], left_out: [1] })
  expect(found.map((each) => each.text).join('')).toBe(line.text)
  expect(found.filter((each) => each.word).map(({ text, word }) => [text, word])).toEqual([
    ['The', 'again'],
    ['mill', 'left out'],
    ['at', 'read'],
    ['Orsey', 'now'],
  ])
  expect(segments(line, [], { word: 5, again: [], left_out: [] }).filter(({ word }) => word === 'read')).toHaveLength(5)
})
