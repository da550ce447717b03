import { SAMPLE_RATE } from '../../engine/time'

/** What is loud at which height: `levels` by column, then by row from low to high, 0..255 over -90..-20 dB. */
export type Spectrum = { columns: number; rows: number; levels: Uint8Array }

const STEP = 512
const ROWS = 48
const LOWEST = 60
const HIGHEST = 14_000
const WINDOW = 2048

/** The spectrum of a short sound, by the browser's own analyser; rows lie at equal steps of pitch. */
export async function spectrumOf(buffer: AudioBuffer): Promise<Spectrum> {
  const columns = Math.max(1, Math.floor(buffer.length / STEP))
  const offline = new OfflineAudioContext(1, buffer.length, SAMPLE_RATE)
  const source = new AudioBufferSourceNode(offline, { buffer })
  const analyser = new AnalyserNode(offline, {
    fftSize: WINDOW,
    smoothingTimeConstant: 0,
    minDecibels: -90,
    maxDecibels: -20,
  })
  source.connect(analyser).connect(offline.destination)
  source.start()
  const bins = new Uint8Array(analyser.frequencyBinCount)
  const levels = new Uint8Array(columns * ROWS)
  const edges = Array.from({ length: ROWS + 1 }, (_, row) => LOWEST * (HIGHEST / LOWEST) ** (row / ROWS)).map((hertz) =>
    Math.round((hertz / (SAMPLE_RATE / 2)) * bins.length),
  )
  for (let column = 0; column < columns; column++) {
    // The analyser looks back: the middle of its window lies in the column.
    const at = Math.min(buffer.length - 128, (column + 0.5) * STEP + WINDOW / 2)
    void offline.suspend(at / SAMPLE_RATE).then(
      () => {
        analyser.getByteFrequencyData(bins)
        for (let row = 0; row < ROWS; row++) {
          const last = Math.max(edges[row]! + 1, edges[row + 1]!)
          let top = 0
          for (let bin = edges[row]!; bin < last; bin++) top = Math.max(top, bins[bin]!)
          levels[column * ROWS + row] = top
        }
        void offline.resume()
      },
      () => {}, // two columns at the very end fall on one moment
    )
  }
  await offline.startRendering()
  return { columns, rows: ROWS, levels }
}
