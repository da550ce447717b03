import { create } from 'zustand'
import type { Edit } from '../api/client'

/** What the page, the picture and the strip are about now: one line, and in Takes one of its takes. */
type Selection = {
  line: string | null
  take: string | null
  /** The chosen clip of the reel. */
  clip: string | null
  /** What can be moved by hand on the strip: slots in Script, clips in Picture, voices in Takes. */
  holds: 'slots' | 'reel' | 'voices' | null
  /** Whether what lies behind a changed clip closes up, and whether words and takes go along. */
  closes: boolean
  follows: boolean
  /** An edit of the reel that is about to be made: what it means is told beforehand. */
  asked: Edit | null
  /** Where a take is to be recorded that no line was made for: from one sample to another. */
  point: { from: number | null; to: number | null }
  setPoint: (point: Partial<Selection['point']>) => void
  setHolds: (holds: Selection['holds']) => void
  chooseClip: (clip: string | null) => void
  setReel: (how: Partial<Pick<Selection, 'closes' | 'follows' | 'asked'>>) => void
  choose: (line: string | null) => void
  chooseTake: (take: string | null) => void
}

export const useSelection = create<Selection>((set) => ({
  line: null,
  take: null,
  clip: null,
  holds: null,
  closes: true,
  follows: true,
  asked: null,
  point: { from: null, to: null },
  setPoint: (point) => set((now) => ({ point: { ...now.point, ...point } })),
  setHolds: (holds) => set({ holds }),
  chooseClip: (clip) => set({ clip }),
  setReel: (how) => set(how),
  choose: (line) => set((now) => (now.line === line ? now : { line, take: null })),
  chooseTake: (take) => set({ take }),
}))
