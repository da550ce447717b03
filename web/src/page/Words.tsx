import type { Line } from '../api/client'
import { segments } from './segments'

/** A line's words as a reader sees them: stress underlined, how a word is said above it, what was looked for marked. */
export function Words({ line, found }: { line: Line; found?: readonly [number, number][] }) {
  if (!line.stress.length && !line.sayings.length && !found?.length) return line.text
  return segments(line, found).map(({ from, text, stress, said, found: hit }) => {
    const set = hit ? <mark>{text}</mark> : text
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
