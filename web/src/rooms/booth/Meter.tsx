import { Button } from '@mantine/core'
import { useCallback } from 'react'
import type { Production } from '../../api/client'
import { useEachFrame, useEngine } from '../../app/engine'
import { type Paint, useDrawing } from '../../page/drawing'

const LOW = -60
/** dBFS that are written beside the bar. */
const SCALE = [-6, -12, -18, -24, -36, -48]

function decibels(amplitude: number): number {
  return 20 * Math.log10(Math.max(amplitude, 1e-6))
}

function shareOf(amplitude: number): number {
  return Math.max(0, Math.min(1, 1 - decibels(amplitude) / LOW))
}

/** In a part of its own, for it changes many times a second. */
function HeldPeak() {
  const engine = useEngine()
  const held = useEachFrame(() => {
    const decibel = decibels(engine.input.level.held)
    return decibel > LOW ? decibel.toFixed(1).replace('-', '−') : '–'
  })
  return <span className="tc">{held}</span>
}

/** The level now: its bar, the wanted window, the held peak, and a clip light that stays on until it is cleared. */
export function Meter({ production, onClear }: { production: Production; onClear: () => void }) {
  const engine = useEngine()
  const { low, high } = production.level_window
  const clipped = useEachFrame(() => engine.input.level.clipped)
  const word = useEachFrame(() => {
    const held = decibels(engine.input.level.held)
    if (held <= low - 24) return engine.input.chosen.value.choice ? 'quiet' : ''
    return held > high ? 'too loud' : held < low ? 'below' : 'in the window'
  })
  const canvas = useDrawing(
    useCallback<Paint>(
      (ctx, { width, height }, inks) => {
        const { level } = engine.input
        const y = (share: number) => height * (1 - share)
        ctx.fillStyle = inks.rule
        ctx.globalAlpha = 0.5
        ctx.fillRect(14, 0, width - 20, height)
        ctx.globalAlpha = 1
        // Peak, and inside it the average.
        ctx.fillStyle = inks.ink
        ctx.globalAlpha = 0.55
        ctx.fillRect(17, y(shareOf(level.peak)), width - 26, height * shareOf(level.peak))
        ctx.globalAlpha = 1
        ctx.fillRect(21, y(shareOf(level.rms)), width - 34, height * shareOf(level.rms))
        ctx.font = '8.5px "Spline Sans Mono", monospace'
        ctx.fillStyle = inks.soft
        for (const mark of SCALE) ctx.fillText(`−${-mark}`, 0, y(1 + mark / -LOW) + 3)
        ctx.fillStyle = inks.sea
        const edges = [low, high].map((decibel) => y(1 - decibel / LOW))
        for (const edge of edges) ctx.fillRect(17, edge - 1, width - 17, 2)
        if (level.held <= 0.001) return
        ctx.fillStyle = inks.ink
        ctx.fillRect(14, y(shareOf(level.held)) - 1, width - 20, 2)
      },
      [engine, low, high],
    ),
    useCallback(() => `${engine.input.level.peak} ${engine.input.level.held}`, [engine]),
  )
  return (
    <aside className="meter" aria-label="level">
      <span className="meter-name">peak</span>
      <HeldPeak />
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
