import { create } from 'zustand'

/** How the page is set, on this machine: remembered, and the same in every room. */
export type PageSettings = {
  /** Points of the words' type. */
  size: number
  /** Letters in a row of words. */
  measure: number
  /** Where the picture stands in Script. */
  picture: 'beside' | 'above'
  /** Notes for the reader are shown under the words. */
  notes: boolean
  /** The page follows the voice while somebody reads. */
  follow: boolean
  /** Beats of the count-in, and how long each is in seconds. */
  beats: number
  beat: number
  /** The reader's own voice in the headphones, dB against the microphone; null: not at all. */
  ownVoice: number | null
  /** Takes shows the keys that place and cut a reading, too. */
  allKeys: boolean
  /** Lines of this reader only; null for all. */
  reader: string | null
}

export const SIZES = { least: 14, most: 40 }
export const MEASURES = { least: 30, most: 90 }
const STORED = 'fendo-page'
const AT_FIRST: PageSettings = {
  size: 18,
  measure: 66,
  picture: 'beside',
  notes: true,
  follow: true,
  beats: 3,
  beat: 1,
  ownVoice: null,
  allKeys: false,
  reader: null,
}

function stored(): PageSettings {
  try {
    return { ...AT_FIRST, ...JSON.parse(localStorage.getItem(STORED) ?? '{}'), reader: null }
  } catch {
    return AT_FIRST
  }
}

export const usePageSettings = create<PageSettings & { set: (change: Partial<PageSettings>) => void }>((set) => ({
  ...stored(),
  set: (change) =>
    set((before) => {
      const { set: _, ...kept } = { ...before, ...change }
      localStorage.setItem(STORED, JSON.stringify(kept))
      return change
    }),
}))

/** Larger or smaller type, within reason. */
export function sizedBy(size: number, by: number): number {
  return Math.min(SIZES.most, Math.max(SIZES.least, size + by))
}
