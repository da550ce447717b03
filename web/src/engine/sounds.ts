import type { Audio } from './audio'
import { SAMPLE_RATE, type Span } from './time'
import type { Sounding } from './transport'

/** Samples in one piece of a film's sound, as the server cuts it. */
const BED_PIECE = 10 * SAMPLE_RATE
/** A take longer than this is not decoded whole. */
const LONG_TAKE = 60 * SAMPLE_RATE
const TAKE_PIECE = 30 * SAMPLE_RATE
const KEPT_BYTES = 160 << 20

/** Decoded sounds, the least recently used forgotten first. */
export class Sounds {
  private kept = new Map<string, Promise<AudioBuffer>>()
  private sizes = new Map<string, number>()

  constructor(private readonly audio: Audio) {}

  /** The decoded sound at an address. A failure is not kept, so that the next play tries again. */
  buffer(url: string): Promise<AudioBuffer> {
    const known = this.kept.get(url)
    if (known) {
      this.kept.delete(url)
      this.kept.set(url, known)
      return known
    }
    const loading = this.load(url)
    this.kept.set(url, loading)
    loading.then(
      (buffer) => {
        this.sizes.set(url, buffer.length * buffer.numberOfChannels * 4)
        this.forget()
      },
      () => this.kept.delete(url),
    )
    return loading
  }

  /** Load a short take before it is asked for. */
  prepare(take: { id: string; length: number }): void {
    if (take.length <= LONG_TAKE) this.buffer(`/api/takes/${take.id}/audio/`).catch(() => {})
  }

  private async load(url: string): Promise<AudioBuffer> {
    const answer = await fetch(url, { credentials: 'same-origin' })
    if (!answer.ok) throw new Error(`the sound at ${url} could not be loaded (${answer.status})`)
    return this.audio.context.decodeAudioData(await answer.arrayBuffer())
  }

  private forget(): void {
    let total = [...this.sizes.values()].reduce((sum, size) => sum + size, 0)
    for (const [url, size] of this.sizes) {
      if (total <= KEPT_BYTES || this.sizes.size < 4) return
      this.kept.delete(url)
      this.sizes.delete(url)
      total -= size
    }
  }

  /** The film's own sound between two positions. */
  bed(film: { id: string; length: number; sound_pieces: number }, start: number, end: number): Sounding[] {
    const found: Sounding[] = []
    const last = Math.min(film.sound_pieces, Math.ceil(end / BED_PIECE))
    for (let piece = Math.max(0, Math.floor(start / BED_PIECE)); piece < last; piece++) {
      const url = `/api/films/${film.id}/sound/${piece}/`
      const span: Span = [piece * BED_PIECE, Math.min((piece + 1) * BED_PIECE, film.length)]
      found.push({ key: url, span, bus: 'bed', load: async () => ({ buffer: await this.buffer(url), offset: 0 }) })
    }
    return found
  }

  /** A take where it lies, or the part of it that is heard; a long one comes in pieces. */
  take(take: { id: string; start: number; length: number }, heard: Span): Sounding[] {
    const url = `/api/takes/${take.id}/audio/`
    if (take.length <= LONG_TAKE) {
      const load = async () => ({ buffer: await this.buffer(url), offset: heard[0] - take.start })
      return [{ key: url, span: heard, bus: 'voice', load }]
    }
    const found: Sounding[] = []
    for (let first = 0; first < take.length; first += TAKE_PIECE) {
      const last = Math.min(first + TAKE_PIECE, take.length)
      const span: Span = [Math.max(heard[0], take.start + first), Math.min(heard[1], take.start + last)]
      if (span[0] >= span[1]) continue
      const key = `${url}?start=${first}&end=${last}`
      const load = async () => ({ buffer: await this.buffer(key), offset: span[0] - take.start - first })
      found.push({ key, span, bus: 'voice', load })
    }
    return found
  }
}
