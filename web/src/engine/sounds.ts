import type { Audio } from './audio'
import { SAMPLE_RATE, type Span } from './time'
import type { Sounding } from './transport'

/** Samples in one piece of a source's sound, as the server cuts it. */
const BED_PIECE = 10 * SAMPLE_RATE
/** A voice longer than this is not decoded whole. */
const LONG_VOICE = 60 * SAMPLE_RATE
const VOICE_PIECE = 30 * SAMPLE_RATE
const PATIENCE_MS = 20_000
const KEPT_BYTES = 160 << 20

/** A stretch of a source's sound at a place of the programme. */
export type BedSound = {
  source: string
  /** Pieces that the source's sound has. */
  pieces: number
  span: Span
  first: number
  channel: 'both' | 'left' | 'right' | 'mix'
  level: number
  cut: readonly [boolean, boolean]
  /** Whether it gives way to the voice. */
  givesWay: boolean
  /** Its identity: of the clip, or of the laid sound. */
  id: string
}

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

  /** Load a short voice before it is asked for. */
  prepare(voice: VoiceSound): void {
    if (voice.length <= LONG_VOICE) this.buffer(addressOf(voice)).catch(() => {})
  }

  private async load(url: string): Promise<AudioBuffer> {
    const signal = AbortSignal.timeout(PATIENCE_MS)
    const ask = () => fetch(url, { credentials: 'same-origin', signal }).catch(() => null)
    let answer = await ask()
    // A long one may have to be put together first.
    while (answer?.status === 503 && !signal.aborted) {
      await new Promise((resolve) => setTimeout(resolve, 400))
      answer = await ask()
    }
    if (!answer) throw new Error('the server can’t be reached')
    if (!answer.ok) throw new Error(`the server can’t read its file (${answer.status})`)
    const packed = await answer.arrayBuffer()
    return this.audio.context.decodeAudioData(packed).catch(() => {
      throw new Error('its file is damaged')
    })
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

  /** A stretch of a source's own sound between two positions: a clip of the reel, or a laid sound. */
  bed(sound: BedSound, start: number, end: number): Sounding[] {
    const found: Sounding[] = []
    const [from, to] = sound.span
    const offset = sound.first - from
    const a = Math.max(from, start) + offset
    const b = Math.min(to, end) + offset
    const last = Math.min(sound.pieces, Math.ceil(b / BED_PIECE))
    for (let piece = Math.max(0, Math.floor(a / BED_PIECE)); piece < last; piece++) {
      const url = `/api/sources/${sound.source}/sound/${piece}/`
      const begins = piece * BED_PIECE - offset
      const span: Span = [Math.max(from, begins), Math.min(to, begins + BED_PIECE)]
      if (span[0] >= span[1]) continue
      const cut: [boolean, boolean] = [sound.cut[0] && span[0] === from, sound.cut[1] && span[1] === to]
      const load = async () => ({ buffer: await this.channel(url, sound.channel), offset: span[0] - begins })
      const bed = sound.givesWay ? sound.id : undefined
      found.push({ key: `${url}@${span[0]}`, span, bus: 'bed', bed, level: sound.level, cut, load })
    }
    return found
  }

  /** One channel of a sound on both sides, or both mixed; as it is for `both`. */
  private async channel(url: string, channel: BedSound['channel']): Promise<AudioBuffer> {
    const whole = await this.buffer(url)
    if (channel === 'both' || whole.numberOfChannels < 2) return whole
    const key = `${url}#${channel}`
    const made = this.kept.get(key)
    if (made) return made
    const [left, right] = [whole.getChannelData(0), whole.getChannelData(1)]
    const one = new AudioBuffer({ length: whole.length, numberOfChannels: 1, sampleRate: SAMPLE_RATE })
    const into = one.getChannelData(0)
    for (let n = 0; n < into.length; n++) {
      into[n] = channel === 'left' ? left[n]! : channel === 'right' ? right[n]! : (left[n]! + right[n]!) / 2
    }
    this.kept.set(key, Promise.resolve(one))
    this.sizes.set(key, one.length * 4)
    return one
  }

  /** What sounds for a line, where it lies; a long one comes in pieces. `until` ends it before its own end. */
  voice(voice: VoiceSound, until = Number.POSITIVE_INFINITY): Sounding[] {
    const url = addressOf(voice)
    const [from, last] = [voice.span[0]!, voice.span[1]!]
    const to = Math.min(last, until)
    const cut = [true, true] as const
    if (to <= from) return []
    if (voice.length <= LONG_VOICE) {
      const load = async () => ({ buffer: await this.buffer(url), offset: 0 })
      return [{ key: `${url}@${from}`, span: [from, to], bus: 'voice', level: voice.gain, cut, load }]
    }
    const found: Sounding[] = []
    for (let first = 0; first < Math.min(voice.length, to - from); first += VOICE_PIECE) {
      const end = Math.min(first + VOICE_PIECE, voice.length)
      const span: Span = [from + first, Math.min(to, from + end)]
      const key = `${url}?start=${first}&end=${end}`
      const load = async () => ({ buffer: await this.buffer(key), offset: 0 })
      found.push({ key: `${key}@${from}`, span, bus: 'voice', level: voice.gain, cut: [first === 0, span[1] === to], load })
    }
    return found
  }
}

/** A take or a comp as it sounds: its place, and the key of its sound. */
type VoiceSound = { id: string; key: string; span: number[]; length: number; gain: number }

function addressOf({ id, key }: VoiceSound): string {
  return `/api/voices/${id}/${key}/sound/`
}
