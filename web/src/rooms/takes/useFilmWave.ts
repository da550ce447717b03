import { useQuery } from '@tanstack/react-query'
import type { Production } from '../../api/client'
import { useEngine } from '../../app/engine'
import { scoreOf } from '../../app/room'
import { SAMPLE_RATE, type Span } from '../../engine/time'
import { type Wave, waveOf } from '../../page/wave'

const LONGEST = 60 * SAMPLE_RATE

/** The waveform of the film's own sound over a stretch of the programme, as it is where nothing replaces it. */
export function useFilmWave(production: Production, [from, to]: Span, wanted: boolean): Wave | undefined {
  const engine = useEngine()
  const clips = production.picture.clips.map(({ id, span, first, bed }) => [id, span, first, bed])
  return useQuery({
    queryKey: ['film wave', production.id, from, to, JSON.stringify(clips)],
    queryFn: async () => {
      // Without lines nothing is silent, and without what is laid it is the film alone.
      const alone = { ...production, lines: [], picture: { ...production.picture, laid: [] } }
      const { score } = scoreOf(engine, alone, [])
      const sound = new Float32Array(to - from)
      for (const { span, load } of score(from, to)) {
        const loaded = await load()
        if (!loaded) continue
        const { buffer, offset } = loaded
        const start = Math.max(from, span[0])
        const end = Math.min(to, span[1])
        const first = offset + start - span[0]
        for (let side = 0; side < buffer.numberOfChannels; side++) {
          const samples = buffer.getChannelData(side).subarray(first, first + end - start)
          for (const [n, sample] of samples.entries()) sound[start - from + n]! += sample / buffer.numberOfChannels
        }
      }
      return waveOf(sound)
    },
    enabled: wanted && to - from <= LONGEST,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 120_000,
  }).data
}
