import type { Line } from '../api/client'
import { type Progress, segments } from './segments'

/**
 * A line's words as a reader sees them: stress underlined, how a word is said above it, what was looked for marked; and how
 * far they are read.
 */
export function Words({
  line,
  found,
  progress,
}: {
  line: Line
  found?: readonly [number, number][]
  progress?: Progress | undefined
}) {
  if (!line.stress.length && !line.sayings.length && !found?.length && !progress) return line.text
  return segments(line, found, progress).map(({ from, text, stress, said, found: hit, word }) => {
    const shown = word ? (
      <span className="word" data-word={word}>
        {text}
      </span>
    ) : (
      text
    )
    const set = hit ? <mark>{shown}</mark> : shown
    const words = stress ? <em className="stress">{set}</em> : set
    if (!said) return <span key={from}>{words}</span>
    return (
      <ruby key={from}>
        {words}
        <rp> (</rp>
        <rt>{said}</rt>
        <rp>)</rp>
      </ruby>
    )
  })
}
