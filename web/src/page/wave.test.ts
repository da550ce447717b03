import { expect, it } from 'vitest'
import { heightOf, heightOfAmplitude } from './wave'

it('a louder sound is never drawn smaller, and a quiet one is still seen', () => {
  const heights = Array.from({ length: 256 }, (_, byte) => heightOf(byte))
  expect(heights[0]).toBe(0)
  expect(heights[255]).toBe(1)
  for (let byte = 1; byte < 256; byte++) expect(heights[byte]!).toBeGreaterThanOrEqual(heights[byte - 1]!)
  expect(heightOfAmplitude(10 ** (-40 / 20))).toBeGreaterThan(0.1)
})
