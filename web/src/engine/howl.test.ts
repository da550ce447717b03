import { describe, expect, it } from 'vitest'
import { Howl } from './howl'
import { SAMPLE_RATE } from './time'

const WINDOW = 2048
const EVERY = 0.03

/** Power of each bin of a Blackman window, in decibels, as an `AnalyserNode` gives it. */
function spectrumOf(samples: Float32Array): Float32Array {
  const n = samples.length
  const re = samples.map(
    (x, i) => (x * (0.42 - 0.5 * Math.cos((2 * Math.PI * i) / n) + 0.08 * Math.cos((4 * Math.PI * i) / n))) / n,
  )
  const im = new Float32Array(n)
  for (let i = 1, j = 0; i < n; i++) {
    let bit = n >> 1
    for (; j & bit; bit >>= 1) j ^= bit
    j ^= bit
    if (i < j) [re[i], re[j]] = [re[j]!, re[i]!]
  }
  for (let size = 2; size <= n; size <<= 1) {
    for (let at = 0; at < n; at += size) {
      for (let k = 0; k < size / 2; k++) {
        const [c, s] = [Math.cos((2 * Math.PI * k) / size), -Math.sin((2 * Math.PI * k) / size)]
        const [a, b] = [at + k, at + k + size / 2]
        const [x, y] = [re[b]! * c - im[b]! * s, re[b]! * s + im[b]! * c]
        ;[re[b], im[b], re[a], im[a]] = [re[a]! - x, im[a]! - y, re[a]! + x, im[a]! + y]
      }
    }
  }
  return Float32Array.from({ length: n / 2 }, (_, k) => 20 * Math.log10(Math.max(1e-9, Math.hypot(re[k]!, im[k]!))))
}

/** Milliseconds until it is heard in two seconds of a sound; null: it is not. */
function heard(sound: (seconds: number) => number, level: number): number | null {
  const howl = new Howl()
  for (let at = 0; at < 2; at += EVERY) {
    const raw = Float32Array.from({ length: WINDOW }, (_, n) => sound(at + n / SAMPLE_RATE))
    const rms = Math.sqrt(raw.reduce((sum, x) => sum + x * x, 0) / WINDOW)
    const samples = raw.map((x) => (x / rms) * 10 ** (level / 20))
    if (howl.look(spectrumOf(samples), level, at * 1000)) return at * 1000
  }
  return null
}

const turn = 2 * Math.PI
const tone = (hertz: number) => (t: number) => Math.sin(turn * hertz * t)
/** A held vowel: sixteen partials under two formants, its pitch never quite still. */
const vowel = (pitch: number) => (t: number) => {
  let sum = 0
  const phase = turn * (pitch * t - 0.4 * Math.cos(5 * t))
  for (let n = 1; n <= 16; n++) {
    const f = n * pitch
    sum += (1 / (1 + ((f - 500) / 150) ** 2) + 0.5 / (1 + ((f - 1500) / 200) ** 2)) * Math.sin(n * phase)
  }
  return sum
}
const noise = () => Math.random() * 2 - 1

describe('a howl', () => {
  it('is one loud tone that stands, wherever it lies, and is heard within a fifth of a second', () => {
    for (const hertz of [180, 700, 2_050, 3_333, 9_000]) expect(heard(tone(hertz), -12)).toBeLessThanOrEqual(200)
    expect(heard((t) => tone(2_000)(t) + 0.1 * noise(), -13)).toBeLessThanOrEqual(200)
  })

  it('is a level that no voice has', () => {
    expect(heard(noise, -4)).toBeLessThanOrEqual(250)
  })

  it('is no voice, no noise, and no tone that is only soft', () => {
    for (const pitch of [95, 140, 210, 300]) expect(heard(vowel(pitch), -10)).toBeNull()
    expect(heard(noise, -10)).toBeNull()
    expect(heard(tone(1_000), -20)).toBeNull()
  })
})
