import { Ceiling } from './ceiling'

/** The ceiling over all that is played. */
class CeilingProcessor extends AudioWorkletProcessor {
  private readonly ceiling = new Ceiling()

  process(inputs: Float32Array[][], outputs: Float32Array[][]): boolean {
    const into = inputs[0] ?? []
    // One channel sounds on both sides.
    this.ceiling.process([into[0]!, into[1] ?? into[0]!], outputs[0]!, outputs[0]![0]!.length)
    return true
  }
}

registerProcessor('ceiling', CeilingProcessor)
