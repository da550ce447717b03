import { useMemo } from 'react'
import { useOutletContext } from 'react-router'
import type { Clip, Line, Picture, Production, StandingVoice, Voice } from '../api/client'
import type { Engine } from '../engine/engine'
import type { BedSound } from '../engine/sounds'
import { frameAt, type Rate, type Span, timecode, without } from '../engine/time'
import type { Ducking, Score } from '../engine/transport'
import { usePageSettings } from '../page/settings'
import { useSelection } from './selection'

/** The production that the room is about. */
export function useRoom(): { production: Production } {
  return useOutletContext<{ production: Production }>()
}

export function rateOf(production: Production): Rate {
  return { above: production.fps[0]!, below: production.fps[1]!, drop: production.drop_frame }
}

/** A place of the programme as people read it. */
export function timecodeAt(production: Production, sample: number): string {
  const rate = rateOf(production)
  return timecode(production.start_frame + frameAt(sample, rate), rate)
}

/** Who reads a line, where that is not the production's reader. */
export function otherReader(production: Production, line: Line): string | undefined {
  if (!line.reader || line.reader === production.reader) return undefined
  return production.readers.find((reader) => reader.id === line.reader)?.name
}

export function asSpan(pair: number[] | null | undefined): Span | null {
  return pair ? [pair[0]!, pair[1]!] : null
}

/** The lines on the page: all, or one reader's. */
export function useShownLines(production: Production): Line[] {
  const reader = usePageSettings((page) => page.reader)
  const { lines, readers, reader: own } = production
  return useMemo(
    () =>
      reader && readers.some((each) => each.id === reader)
        ? lines.filter((line) => (line.reader ?? own) === reader)
        : lines,
    [lines, readers, own, reader],
  )
}

/** What sounds for the lines, in their order: picks, and what was read last where nothing is picked. */
export function voicesOf(production: Production): StandingVoice[] {
  return production.lines.flatMap((line) => line.voice ?? [])
}

/** Samples that a line may last: its slot's, or what is wanted of one without; null where nothing is said. */
export function roomOf({ slot, wanted_length }: Pick<Line, 'slot' | 'wanted_length'>): number | null {
  return slot ? slot[1]! - slot[0]! : wanted_length
}

/** What is heard besides takes: everything, the original alone, or nothing. */
export type Beds = 'all' | 'original' | 'none'

/** The sounds of the picture: its clips' own without the stretches in which they are silent, and what is laid under them. */
function bedsOf(picture: Picture, beds: Beds, lines: readonly Line[]): BedSound[] {
  if (beds === 'none') return []
  const sources = new Map(picture.sources.map((source) => [source.id, source]))
  const films = beds === 'original' ? [] : picture.clips.filter((clip) => clip.kind === 'film')
  const laid = picture.laid.filter((sound) => beds === 'all' || sound.original)
  const silences = lines.flatMap(({ silence }) => (silence ? [asSpan(silence)!] : []))
  // Where a clip is silent its room is heard: other stretches of its own sound.
  const rooms = lines.flatMap((line) =>
    line.rooms.flatMap(({ clip, span, first }) => {
      const found = films.find(({ id }) => id === clip)
      return found ? [{ ...found, channel: 'both' as const, span: [...span], first, cut: [true, true] }] : []
    }),
  )
  const own = films.flatMap((clip) => without(asSpan(clip.span)!, silences).map((span) => partOf(clip, span)))
  return [...own, ...rooms, ...laid].flatMap((sound): BedSound[] => {
    const pieces = sources.get(sound.source ?? '')?.sound_pieces
    if (!pieces || !sound.source || sound.bed === 'muted') return []
    const { id, source, first, channel, level, cut, bed } = sound
    const span = asSpan(sound.span)!
    return [{ source, pieces, span, first, channel, level, cut: [cut[0]!, cut[1]!], givesWay: bed === 'ducked', id }]
  })
}

/** What is left of a clip's own sound at a stretch of the programme; where it was parted it comes and goes softly. */
function partOf(clip: Clip, span: Span) {
  const [start, end] = asSpan(clip.span)!
  const cut = [clip.cut[0]! || span[0] > start, clip.cut[1]! || span[1] < end]
  return { ...clip, channel: 'both' as const, span: [...span], first: clip.first + span[0] - start, cut }
}

/** By how much each sound gives way to the voice. */
export function duckingOf({ picture, duck_rise: rise }: Production): Ducking {
  return { rise, depths: new Map([...picture.clips, ...picture.laid].map(({ id, duck }) => [id, duck])) }
}

/** What sounds: the picture's own sounds, and some voices where they lie, up to a position. */
export function scoreOf(
  engine: Engine,
  production: Production,
  voices: Voice[],
  beds: Beds = 'all',
  until?: number,
): { score: Score; ducks: Span[]; ducking: Ducking } {
  const under = bedsOf(production.picture, beds, production.lines)
  const sounding = voices.flatMap((voice) => engine.sounds.voice(voice, until))
  const spoken = voices.flatMap((voice) => voice.phrases.map((phrase) => asSpan(phrase)!))
  return {
    score: (start, end) => [
      ...under
        .filter((sound) => sound.span[0] < end && sound.span[1] > start)
        .flatMap((sound) => engine.sounds.bed(sound, start, end)),
      ...sounding.filter((sound) => sound.span[0] < end && sound.span[1] > start),
    ],
    ducks: spoken,
    ducking: duckingOf(production),
  }
}

/** What can be heard in headphones while recording, in words. */
export const HEARD_WHILE_RECORDING: Record<Production['monitor'], string> = {
  programme: 'everything',
  original: 'the original alone',
  silent: 'nothing',
}

/** The beds that are heard while recording: what was chosen, and nothing without headphones. */
export function bedsWhileRecording(production: Production): Beds {
  if (!production.headphones || production.monitor === 'silent') return 'none'
  return production.monitor === 'original' ? 'original' : 'all'
}

/** The chosen line, and a way to step through them. The transport goes along unless something plays. */
export function useLines(production: Production, engine: Engine) {
  const { line: chosen, choose } = useSelection()
  const lines = useShownLines(production)
  const index = Math.max(
    0,
    lines.findIndex((line) => line.id === chosen),
  )
  const line: Line | undefined = lines[index]
  const go = (next: Line | undefined, seek = true) => {
    if (!next) return
    choose(next.id)
    if (seek && next.slot) engine.transport.seek(next.slot[0]!)
  }
  return { line, lines, index, go, step: (by: number) => go(lines[index + by]) }
}
