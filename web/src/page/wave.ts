import { useQuery } from '@tanstack/react-query'
import { SAMPLE_RATE } from '../engine/time'

/** Samples in one column of a stored waveform. */
const WAVE_BLOCK = 480

/** Peak and average of each 10 ms, one byte each, 0..255 over -60..0 dBFS. */
export type Wave = Uint8Array

type Named = { id: string; key: string }

async function load(address: string): Promise<Wave> {
  const answer = await fetch(address, { credentials: 'same-origin' })
  if (!answer.ok) throw new Error('the waveform could not be loaded')
  return new Uint8Array(await answer.arrayBuffer())
}

/** What has one key has one waveform, so it is asked for once. */
export function waveQuery(voice: Named) {
  return {
    queryKey: ['wave', voice.key],
    queryFn: () => load(`/api/voices/${voice.id}/${voice.key}/wave/`),
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 600_000,
  }
}

export function useWave(voice: Named | null): Wave | undefined {
  return useQuery({ ...waveQuery(voice ?? { id: '', key: '' }), enabled: Boolean(voice) }).data
}

/** A byte of a waveform as a share of half the height: quiet is still seen, loud is clearly larger. */
export function heightOf(byte: number): number {
  const decibel = (byte / 255) * 60 - 60
  return byte === 0 ? 0 : 10 ** (decibel / 50)
}

/** What was recorded before a take or a comp begins, and after it ends: so much of each. */
export const AROUND = 3 * SAMPLE_RATE

/** The waveforms of what was recorded around what sounds; asked for when its ends are going to be moved. */
export function useAround(voice: Named | null, wanted: boolean): [Wave, Wave] | undefined {
  return useQuery({
    queryKey: ['around', voice?.key],
    queryFn: async () => {
      const wave = await load(`/api/voices/${voice!.id}/around/`)
      const half = (2 * AROUND) / WAVE_BLOCK
      return [wave.subarray(0, half), wave.subarray(half)] as [Wave, Wave]
    },
    enabled: Boolean(voice) && wanted,
    staleTime: Number.POSITIVE_INFINITY,
  }).data
}

/** Samples of a decoded sound as a waveform. */
export function waveOf(samples: Float32Array, blockLength = WAVE_BLOCK): Wave {
  const columns = Math.ceil(samples.length / blockLength)
  const wave = new Uint8Array(2 * columns)
  const byte = (amplitude: number) =>
    Math.max(0, Math.min(255, Math.round((20 * Math.log10(Math.max(amplitude, 1e-6)) + 60) * 4.25)))
  for (let column = 0; column < columns; column++) {
    let peak = 0
    let power = 0
    const block = samples.subarray(column * blockLength, (column + 1) * blockLength)
    for (const sample of block) {
      peak = Math.max(peak, Math.abs(sample))
      power += sample * sample
    }
    wave[2 * column] = byte(peak)
    wave[2 * column + 1] = byte(Math.sqrt(power / block.length))
  }
  return wave
}

/** The same scale for an amplitude. */
export function heightOfAmplitude(amplitude: number): number {
  return heightOf(Math.max(0, Math.min(255, (20 * Math.log10(Math.max(amplitude, 1e-6)) + 60) * 4.25)))
}

/**
 * Draw a waveform: peaks, and inside them the average.
 *
 * @param first sample of the voice at the left edge
 * @param samplesAPoint samples in one point of width
 * @param blockLength samples in a column of the waveform
 */
export function drawWave(
  ctx: CanvasRenderingContext2D,
  wave: Wave,
  box: { x: number; y: number; width: number; height: number },
  first: number,
  samplesAPoint: number,
  colour: string,
  outlined = false,
  blockLength = WAVE_BLOCK,
): void {
  const middle = box.y + box.height / 2
  const half = box.height / 2
  const columns = wave.length >> 1
  const path = (which: 0 | 1, alpha: number) => {
    ctx.globalAlpha = alpha
    ctx.beginPath()
    for (let x = 0; x < box.width; x++) {
      const from = Math.floor((first + x * samplesAPoint) / blockLength)
      const to = Math.max(from + 1, Math.floor((first + (x + 1) * samplesAPoint) / blockLength))
      let top = 0
      for (let c = Math.max(0, from); c < Math.min(columns, to); c++) top = Math.max(top, wave[c * 2 + which]!)
      const h = Math.max(0.5, heightOf(top) * half)
      ctx.rect(box.x + x, middle - h, 1, 2 * h)
    }
    ctx.fill()
  }
  ctx.fillStyle = colour
  const { globalAlpha } = ctx
  path(0, 0.5 * globalAlpha)
  // Outlined: the peaks alone. Its shape tells it from a picked one, not its shade alone.
  if (!outlined) path(1, globalAlpha)
  ctx.globalAlpha = globalAlpha
}
