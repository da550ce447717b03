import type { Take } from '../../api/client'
import type { ChosenWords } from '../../api/making'

/** The word that is said at a position; between two the next one, behind the last the last. */
export function wordAt(take: Take, position: number): number | undefined {
  const said = take.read?.words.filter(({ mark, span }) => span && mark === 'read') ?? []
  return (said.find(({ span }) => span![1]! > position) ?? said.at(-1))?.ordinal
}

/** The words between two ordinals as a text. */
export function wordsText(take: Take | undefined, { first, last }: Omit<ChosenWords, 'take'>): string {
  const said =
    take?.read?.words.filter(({ ordinal, mark }) => ordinal >= first && ordinal <= last && mark !== 'again') ?? []
  const text = said.map((word) => word.text).join(' ')
  return text.length > 60 ? `${text.slice(0, 28)} … ${text.slice(-28)}` : text
}
