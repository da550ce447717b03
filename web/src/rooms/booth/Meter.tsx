import { Button } from '@mantine/core'
import { useEffect, useRef } from 'react'
import type { Production } from '../../api/client'
import { useEachFrame, useEngine } from '../../app/engine'
import { inksOf } from '../../strip/Strip'

const LOW = -60

function decibels(amplitude: number): number {
  return 20 * Math.log10(Math.max(amplitude, 1e-6))
}

function shareOf(amplitude: number): number {
  return Math.max(0, Math.min(1, 1 - decibels(amplitude) / LOW))
}

/** The level now: its bar, the wanted window, the held peak, and a clip light that stays on until it is cleared. */
export function Meter({ production, onClear }: { production: Production; onClear: () => void }) {
  const engine = useEngine()
  const canvas = useRef<HTMLCanvasElement>(null)
  const number = useRef<HTMLSpanElement>(null)
  const { low, high } = production.level_window
  const clipped = useEachFrame(() => engine.recorder.level.clipped)
  const word = useEachFrame(() => {
    const held = decibels(engine.recorder.level.held)
    if (held <= low - 24) return engine.recorder.input.value.choice ? 'quiet' : ''
    return held > high ? 'too loud' : held < low ? 'below' : 'in the window'
  })
  useEffect(() => {
    const element = canvas.current!
    const ctx = element.getContext('2d')!
    const draw = () => {
      const { level } = engine.recorder
      const box = element.getBoundingClientRect()
      const wide = Math.round(box.width * devicePixelRatio)
      const tall = Math.round(box.height * devicePixelRatio)
      if (element.width !== wide || element.height !== tall) {
        element.width = wide
        element.height = tall
      }
      ctx.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0)
      const { width, height } = box
      const inks = inksOf(element)
      const y = (share: number) => height * (1 - share)
      ctx.clearRect(0, 0, width, height)
      ctx.fillStyle = inks.rule
      ctx.globalAlpha = 0.5
      ctx.fillRect(8, 0, width - 16, height)
      ctx.globalAlpha = 1
      ctx.fillStyle = inks.ink
      ctx.fillRect(11, y(shareOf(level.peak)), width - 22, height * shareOf(level.peak))
      ctx.fillStyle = inks.sea
      const edges = [low, high].map((decibel) => y(1 - decibel / LOW))
      for (const edge of edges) ctx.fillRect(2, edge - 1, width - 4, 2)
      if (level.held > 0.001) {
        ctx.fillStyle = inks.ink
        ctx.fillRect(5, y(shareOf(level.held)) - 1, width - 10, 2)
      }
      const held = decibels(level.held)
      const text = held > LOW ? held.toFixed(1).replace('-', '−') : '–'
      if (number.current && number.current.textContent !== text) number.current.textContent = text
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine, low, high])
  return (
    <aside className="meter" aria-label="level">
      <span className="meter-name">peak</span>
      <span className="tc" ref={number}>
        –
      </span>
      <canvas ref={canvas} role="img" aria-label={`level ${word}`} data-testid="meter" />
      <span className={`meter-word${word === 'too loud' ? ' loud' : ''}`}>{word || ' '}</span>
      {clipped ? (
        <Button size="compact-xs" color="yellow" variant="light" onClick={onClear} title="clear the clip light (C)">
          clipped
        </Button>
      ) : (
        <span className="meter-clip quiet">no clip</span>
      )}
    </aside>
  )
}
