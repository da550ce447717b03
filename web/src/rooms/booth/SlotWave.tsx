import { useCallback } from 'react'
import type { Line, Voice } from '../../api/client'
import { useEngine } from '../../app/engine'
import { asSpan, roomOf } from '../../app/room'
import type { LiveWave } from '../../engine/livewave'
import type { BoothState } from '../../engine/recorder'
import { SAMPLE_RATE } from '../../engine/time'
import { type Paint, useDrawing } from '../../page/drawing'
import { drawWave, heightOfAmplitude, useWave } from '../../page/wave'
import { drawBrackets } from '../../strip/draw'

/** While the Booth is so, what has been read of the take is shown. */
const SHOWN: readonly BoothState['kind'][] = ['recording', 'paused', 'going on', 'finishing', 'saving']

/** Samples that the brackets hold: the slot's, or what has been read where that is more. */
function shownOf(length: number, wave: LiveWave): number {
  return Math.max(length, wave.length * wave.per * 0.8)
}

/** The waveform grows in the slot's brackets while it is recorded; what was just read stays there. */
export function SlotWave({ line, read }: { line: Line | undefined; read: Voice | null }) {
  const engine = useEngine()
  const slot = asSpan(line?.slot)
  const length = (line && roomOf(line)) ?? 6 * SAMPLE_RATE
  const start = slot?.[0]
  const wave = useWave(read)
  const sounds = read?.span[0]
  const readLength = read?.length ?? 0
  const look = useCallback(
    (position: number) => {
      const { state, wave } = engine.recorder
      const { kind } = state.value
      if (!SHOWN.includes(kind)) return ''
      // About a point of width: what moves by less is not painted anew.
      const point = shownOf(length, wave) / 600
      return `${kind} ${wave.length} ${wave.per} ${start === undefined ? 0 : Math.floor((position - start) / point)}`
    },
    [engine, length, start],
  )
  const paint = useCallback<Paint>(
    (ctx, { width, height }, inks, position) => {
      const { state, wave: growing } = engine.recorder
      const busy = SHOWN.includes(state.value.kind)
      // The brackets take four fifths of the width, so that what runs over is seen outside them.
      const inside = (width - 12) * 0.8
      const scale = inside / (busy ? shownOf(length, growing) : length)
      const middle = height / 2
      drawBrackets(ctx, 4, 2, length * scale, height - 4, inks.stage, 1.6)
      if (!busy) {
        if (!wave || sounds === undefined) return
        const from = start ?? sounds
        const box = { x: 6 + (sounds - from) * scale, y: 6, width: readLength * scale, height: height - 12 }
        drawWave(ctx, wave, box, 0, 1 / scale, inks.stage)
        return
      }
      ctx.fillStyle = inks.fire
      for (let x = 0; x < growing.length * growing.per * scale; x++) {
        const from = Math.floor(x / scale / growing.per)
        const to = Math.max(from + 1, Math.floor((x + 1) / scale / growing.per))
        const h = Math.max(0.6, heightOfAmplitude(growing.top(from, to)) * (middle - 6))
        ctx.fillRect(6 + x, middle - h, 1, 2 * h)
      }
      if (state.value.kind === 'recording' && start !== undefined) {
        ctx.fillRect(6 + Math.max(0, position - start) * scale, 0, 2, height)
      }
    },
    [engine, length, start, wave, sounds, readLength],
  )
  const canvas = useDrawing(paint, look)
  return <canvas ref={canvas} className="slot-wave" role="img" aria-label="the slot, and what is being recorded in it" />
}
