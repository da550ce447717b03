import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { Frames, type Pace } from './frames'

const hands = new EventTarget()

beforeEach(() => {
  vi.useFakeTimers()
  vi.stubGlobal('addEventListener', hands.addEventListener.bind(hands))
  vi.stubGlobal('requestAnimationFrame', (frame: (now: number) => void) => setTimeout(() => frame(performance.now()), 16))
})
afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

/** How many frames are drawn in a second, and how many of them came right after another. */
function counted(frames: () => [number, number]): [number, number] {
  const before = frames()
  vi.advanceTimersByTime(1000)
  const after = frames()
  return [after[0] - before[0], after[1] - before[1]]
}

it('asks for every frame while something moves or is touched, for some while a level is shown, for few while all rests', () => {
  let pace: Pace = 'rest'
  let [drawn, following] = [0, 0]
  const frames = new Frames(
    () => pace,
    (_, follows) => {
      drawn++
      following += Number(follows)
    },
  )
  vi.advanceTimersByTime(2000)
  const rest = counted(() => [drawn, following])
  expect(rest[0]).toBeLessThanOrEqual(11)
  expect(rest[1]).toBe(0)

  pace = 'moving'
  hands.dispatchEvent(new Event('keydown'))
  const [all, inRow] = counted(() => [drawn, following])
  expect(all).toBeGreaterThan(55)
  expect(all - inRow).toBeLessThanOrEqual(1)

  pace = 'level'
  vi.advanceTimersByTime(2000)
  const [level] = counted(() => [drawn, following])
  expect(level).toBeGreaterThan(20)
  expect(level).toBeLessThan(35)

  pace = 'rest'
  vi.advanceTimersByTime(2000)
  const position = vi.fn()
  frames.add(position)
  const woken = drawn
  vi.advanceTimersByTime(100)
  expect(drawn - woken).toBeGreaterThan(4) // whoever begins to draw is drawn at once
  frames.draw(480)
  frames.delete(position)
  frames.draw(960)
  expect(position.mock.calls).toEqual([[480]])
})
