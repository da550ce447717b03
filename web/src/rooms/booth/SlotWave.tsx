import { useEffect, useRef } from 'react'
import type { Line } from '../../api/client'
import { useEngine } from '../../app/engine'
import { asSpan } from '../../app/room'
import { SAMPLE_RATE } from '../../engine/time'
import { heightOfAmplitude } from '../../page/wave'
import { drawBrackets } from '../../strip/draw'

/** The waveform grows in the slot's brackets while it is recorded. */
export function SlotWave({ line }: { line: Line | undefined }) {
  const engine = useEngine()
  const canvas = useRef<HTMLCanvasElement>(null)
  const slot = asSpan(line?.slot)
  const length = slot ? slot[1] - slot[0] : 6 * SAMPLE_RATE
  const start = slot?.[0]
  useEffect(() => {
    const element = canvas.current!
    const ctx = element.getContext('2d')!
    const draw = (position: number) => {
      const { width, height } = element.getBoundingClientRect()
      element.width = Math.round(width * devicePixelRatio)
      element.height = Math.round(height * devicePixelRatio)
      ctx.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0)
      const style = getComputedStyle(element)
      const ink = style.getPropertyValue('--stage-ink')
      const fire = style.getPropertyValue('--fire')
      const { state, wave } = engine.recorder
      const busy = ['recording', 'paused', 'going on', 'finishing', 'saving'].includes(state.value.kind)
      // The brackets take four fifths of the width, so that what runs over is seen outside them.
      const inside = (width - 12) * 0.8
      const shown = busy ? Math.max(length, wave.length * wave.per * 0.8) : length
      const scale = inside / shown
      const middle = height / 2
      drawBrackets(ctx, 4, 2, length * scale, height - 4, ink, 1.6)
      if (!busy) return
      ctx.fillStyle = fire
      for (let x = 0; x < wave.length * wave.per * scale; x++) {
        const from = Math.floor(x / scale / wave.per)
        const to = Math.max(from + 1, Math.floor((x + 1) / scale / wave.per))
        const h = Math.max(0.6, heightOfAmplitude(wave.top(from, to)) * (middle - 6))
        ctx.fillRect(6 + x, middle - h, 1, 2 * h)
      }
      if (state.value.kind === 'recording' && start !== undefined) {
        ctx.fillRect(6 + Math.max(0, position - start) * scale, 0, 2, height)
      }
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine, length, start])
  return <canvas ref={canvas} className="slot-wave" role="img" aria-label="the slot, and what is being recorded in it" />
}
