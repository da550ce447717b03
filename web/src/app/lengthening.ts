import { SAMPLE_RATE, secondsText } from '../engine/time'

/** By how much pauses and phrases change, in words; null: by nothing that can be heard. */
export function lengthening({ pauses, stretch }: { pauses: number; stretch: number }) {
  return {
    pauses:
      Math.abs(pauses) < SAMPLE_RATE / 200
        ? null
        : `${secondsText(Math.abs(pauses), 2)} s ${pauses < 0 ? 'shorter' : 'longer'}`,
    phrases:
      Math.abs(stretch) < 0.0005 ? null : `${Math.abs(100 * stretch).toFixed(1)} % ${stretch < 0 ? 'faster' : 'slower'}`,
  }
}
