import type { Line } from '../api/client'

/** A stretch of a line's words that is set in one way. */
export type Segment = {
  from: number
  text: string
  stress: boolean
  said: string
  found: boolean
  /** What became of the word, while it is read. */
  word: '' | 'read' | 'now' | 'again' | 'left out'
}

/** How far a line was read: the ordinal of the word that is being read, and those that were said again or passed over. */
export type Progress = { word: number; again: readonly number[]; left_out: readonly number[] }

/** The words of a line with spans of characters: every word, and the white space between. */
export function wordSpans(text: string): [number, number][] {
  return [...text.matchAll(/\S+/g)].map((match) => [match.index, match.index + match[0].length])
}

/** The ordinal of the word at a character, or of the one before it. */
export function wordAt(text: string, at: number): number {
  const spans = wordSpans(text)
  let found = -1
  for (const [index, [start]] of spans.entries()) if (start <= at) found = index
  return found
}

/** A line's words cut where stress, a pronunciation or a place that was looked for begins or ends, and into words while read. */
export function segments(
  line: Pick<Line, 'text' | 'stress' | 'sayings'>,
  found: readonly [number, number][] = [],
  progress?: Progress,
): Segment[] {
  const { text } = line
  const words = line.stress.length || progress ? wordSpans(text) : []
  const stressed = line.stress.flatMap((n) => (words[n] ? [words[n]] : []))
  const said = (line.sayings as unknown as [number, number, string][]).map(([a, b, how]) => ({ a, b, how }))
  const edges = new Set([0, text.length])
  for (const [a, b] of [...stressed, ...found, ...(progress ? words : [])]) edges.add(a).add(b)
  for (const { a, b } of said) edges.add(a).add(b)
  const cuts = [...edges].filter((edge) => edge <= text.length).sort((a, b) => a - b)
  const inside = (spans: readonly (readonly [number, number])[], at: number) => spans.some(([a, b]) => a <= at && at < b)
  return cuts.slice(0, -1).map((from, n) => ({
    from,
    text: text.slice(from, cuts[n + 1]),
    stress: inside(stressed, from),
    said: said.find(({ a }) => a === from)?.how ?? '',
    found: inside(found, from),
    word: progress ? became(words, from, progress) : '',
  }))
}

function became(words: readonly [number, number][], at: number, { word, again, left_out }: Progress): Segment['word'] {
  const ordinal = words.findIndex(([a, b]) => a <= at && at < b)
  if (ordinal < 0) return ''
  if (left_out.includes(ordinal)) return 'left out'
  if (again.includes(ordinal) && ordinal < word) return 'again'
  return ordinal < word ? 'read' : ordinal === word ? 'now' : ''
}
