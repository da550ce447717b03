import { Weighted } from './loudness'

/** Tells the weighted power of each 100 ms of what is played. */
class LoudnessProcessor extends AudioWorkletProcessor {
  private readonly weighted = new Weighted()

  process(inputs: Float32Array[][]): boolean {
    const into = inputs[0] ?? []
    // One channel sounds on both sides.
    if (into[0])
      this.weighted.process([into[0], into[1] ?? into[0]], into[0].length, (power) => this.port.postMessage(power))
    return true
  }
}

registerProcessor('loudness', LoudnessProcessor)
