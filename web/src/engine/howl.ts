/** dBFS RMS from which one tone that stands is a howl, and how long it stands. */
const TONE = { level: -14, ms: 150 }
/** dBFS RMS that no reading has, and how long. */
const LOUD = { level: -6, ms: 200 }
/** Share of the power in one tone, and the bins that a window spreads it over to each side. */
const SHARE = 0.95
const SPREAD = 4
/** Tones that lie so many bins apart are one. */
const SAME = 2

/**
 * Whether headphones howl into the microphone: one loud tone that stands, where a voice moves; or a level that no voice has.
 * It is asked again and again with what the microphone hears now.
 */
export class Howl {
  private tone = -1
  private toneSince = 0
  private loudSince = 0
  private loud = false

  /**
   * @param spectrum decibels of each bin, from an `AnalyserNode` without smoothing.
   * @param rms dBFS of the same samples.
   * @param now milliseconds.
   */
  look(spectrum: Float32Array, rms: number, now: number): boolean {
    if (rms < LOUD.level) this.loud = false
    else if (!this.loud) {
      this.loud = true
      this.loudSince = now
    }
    const tone = rms < TONE.level ? -1 : toneOf(spectrum)
    if (tone < 0 || this.tone < 0 || Math.abs(tone - this.tone) > SAME) {
      this.tone = tone
      this.toneSince = now
    }
    return (this.loud && now - this.loudSince >= LOUD.ms) || (this.tone >= 0 && now - this.toneSince >= TONE.ms)
  }
}

/** The bin of the one tone that a spectrum holds; -1 where it holds more. */
function toneOf(spectrum: Float32Array): number {
  let [best, whole] = [0, 0]
  for (let n = 1; n < spectrum.length; n++) {
    whole += 10 ** (spectrum[n]! / 10)
    if (spectrum[n]! > spectrum[best]! || best === 0) best = n
  }
  let near = 0
  for (let n = Math.max(1, best - SPREAD); n <= Math.min(spectrum.length - 1, best + SPREAD); n++) {
    near += 10 ** (spectrum[n]! / 10)
  }
  return whole > 0 && near >= SHARE * whole ? best : -1
}
