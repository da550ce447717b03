import { describe, expect, it } from 'vitest'
import { isBuiltIn } from '../engine/inputs'
import { keyText } from './keys'
import { pressedBy } from './pedals'

describe('a foot switch', () => {
  it('presses when it goes down, whatever its channel, and not when it comes up', () => {
    expect(pressedBy([0xb0, 64, 127])).toBe('Pedal64')
    expect(pressedBy([0xb5, 67, 64])).toBe('Pedal67')
    expect(pressedBy([0xb0, 64, 0])).toBeNull()
    expect(pressedBy([0x93, 36, 100])).toBe('Note36')
    // A note of no velocity is a release.
    expect(pressedBy([0x90, 36, 0])).toBeNull()
    expect(pressedBy([0xf8])).toBeNull()
    expect(keyText('Pedal64')).toBe('pedal 64')
  })
})

describe('a microphone that sits in the machine', () => {
  it('is known by its name', () => {
    for (const name of ['Built-in Audio Analog Stereo', 'Internal Microphone', 'Microphone Array (Realtek(R) Audio)'])
      expect(isBuiltIn(name)).toBe(true)
    for (const name of ['Two-in two-out USB interface', 'Simulated reader', 'USB PnP Audio Device', 'Interface M1'])
      expect(isBuiltIn(name)).toBe(false)
  })
})
