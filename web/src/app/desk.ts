import { create } from 'zustand'

/** What the page, the picture and the strip are about now: one line, and in Takes one of its takes. */
type Desk = {
  line: string | null
  take: string | null
  /** Slots can be moved by hand on the strip. */
  laying: boolean
  setLaying: (laying: boolean) => void
  choose: (line: string | null) => void
  chooseTake: (take: string | null) => void
}

export const useDesk = create<Desk>((set) => ({
  line: null,
  take: null,
  laying: false,
  setLaying: (laying) => set({ laying }),
  choose: (line) => set((desk) => (desk.line === line ? desk : { line, take: null })),
  chooseTake: (take) => set({ take }),
}))
