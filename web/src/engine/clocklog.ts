/** Two whole numbers that belong together. */
type Pair = [number, number]

const PAIRS = ['capture', 'transport', 'output', 'seen', 'gaps', 'repeats', 'marks'] as const
type PairName = (typeof PAIRS)[number]

/** A part of a take's clock log, as the server takes it; the core's `ClockLog` says what each pair means. */
export type ClockPart = Partial<Record<PairName, Pair[]>> & {
  notes?: [number, string][]
  latency?: number
  spread?: number
  source?: 'none' | 'browser' | 'measured'
  fresh?: boolean
  guide?: 'ear' | 'eye'
}

/** Collects pairs while a take is recorded, and gives them away in parts. */
export class ClockNotes {
  private part: ClockPart = {}

  pair(name: PairName, first: number, second: number): void {
    const known = this.part[name]
    if (known) known.push([first, second])
    else this.part[name] = [[first, second]]
  }

  note(sample: number, words: string): void {
    this.part.notes = [...(this.part.notes ?? []), [sample, words]]
  }

  say(values: Omit<ClockPart, PairName | 'notes'>): void {
    Object.assign(this.part, values)
  }

  /** What was collected since the last time. */
  give(): ClockPart {
    const { part } = this
    this.part = {}
    return part
  }
}

/** Parts as one. */
export function joinParts(parts: readonly ClockPart[]): ClockPart {
  const whole: ClockPart = Object.assign({}, ...parts)
  for (const name of PAIRS) {
    const all = parts.flatMap((part) => part[name] ?? [])
    if (all.length) whole[name] = all
  }
  const notes = parts.flatMap((part) => part.notes ?? [])
  if (notes.length) whole.notes = notes
  return whole
}

/** As the value of a header, which takes no letters beyond ASCII. */
export function asHeader(part: ClockPart): string {
  return JSON.stringify(part).replace(/[\u0080-\uffff]/g, (c) => `\\u${c.charCodeAt(0).toString(16).padStart(4, '0')}`)
}
