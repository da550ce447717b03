import type { Production } from '../api/client'
import { asSpan, rateOf } from '../app/room'
import { frameAt, SAMPLE_RATE, secondsText, timecode } from '../engine/time'
import { drawWave, type Wave } from '../page/wave'
import { firstInSight, rulerStep, type View, xOf } from './layout'

export type Inks = { ink: string; soft: string; sea: string; fire: string; rule: string; sheet: string; wash: string }

export type StripParts = {
  production: Production
  picture: HTMLImageElement | null
  waves: (take: string) => Wave | undefined
  chosen: string | null
}

const THUMB = { width: 96, height: 54, row: 20 }
const FILM = { y: 20, height: 34 }
export const SLOT = { y: 60 }

/** Brackets around a slot. */
export function drawBrackets(
  ctx: CanvasRenderingContext2D,
  x: number,
  y: number,
  width: number,
  height: number,
  ink: string,
  weight: number,
): void {
  const arm = Math.min(6, width / 3)
  ctx.strokeStyle = ink
  ctx.lineWidth = weight
  ctx.beginPath()
  ctx.moveTo(x + arm, y)
  ctx.lineTo(x, y)
  ctx.lineTo(x, y + height)
  ctx.lineTo(x + arm, y + height)
  ctx.moveTo(x + width - arm, y)
  ctx.lineTo(x + width, y)
  ctx.lineTo(x + width, y + height)
  ctx.lineTo(x + width - arm, y + height)
  ctx.stroke()
}

/** Everything of the strip but the playhead. */
export function drawStrip(
  ctx: CanvasRenderingContext2D,
  width: number,
  height: number,
  view: View,
  parts: StripParts,
  inks: Inks,
): void {
  ctx.clearRect(0, 0, width, height)
  drawRuler(ctx, width, view, parts.production, inks)
  drawFilm(ctx, width, view, parts, inks)
  drawSlots(ctx, width, height, view, parts, inks)
}

function drawRuler(ctx: CanvasRenderingContext2D, width: number, view: View, production: Production, inks: Inks): void {
  const rate = rateOf(production)
  const step = rulerStep(view) * SAMPLE_RATE
  ctx.fillStyle = inks.soft
  ctx.font = "11px 'Spline Sans Mono Variable', monospace"
  for (let at = Math.max(0, Math.ceil(view.first / step) * step); xOf(at, view) < width; at += step) {
    const x = Math.round(xOf(at, view))
    ctx.fillRect(x, 4, 1, 6)
    const text = timecode(production.start_frame + frameAt(at, rate), rate)
    ctx.fillText(step < 10 * SAMPLE_RATE ? text : text.slice(0, 8), x + 4, 13)
  }
}

function drawFilm(ctx: CanvasRenderingContext2D, width: number, view: View, parts: StripParts, inks: Inks): void {
  const { film, wanted_length: wanted } = parts.production
  if (!film) {
    if (!wanted) return
    // No picture, but a length that the words have to keep: it is drawn as an empty band.
    const left = xOf(0, view)
    ctx.strokeStyle = inks.soft
    ctx.lineWidth = 1
    ctx.strokeRect(left + 0.5, FILM.y + 0.5, wanted / view.perPoint - 1, FILM.height - 1)
    ctx.fillStyle = inks.soft
    ctx.font = "12px 'Bricolage Grotesque Variable', sans-serif"
    ctx.fillText(`no picture, ${secondsText(wanted)} s`, Math.max(left, 0) + 8, FILM.y + 21)
    return
  }
  const tile = (FILM.height * THUMB.width) / THUMB.height
  for (const shot of film.shots) {
    const left = xOf(shot[0]!, view)
    const right = xOf(shot[1]!, view)
    if (right < 0 || left > width) continue
    ctx.fillStyle = inks.rule
    ctx.fillRect(left, FILM.y, Math.max(1, right - left - 2), FILM.height)
    if (!parts.picture || !film.strip_columns) continue
    const skipped = Math.max(0, Math.floor(-left / tile))
    for (let x = left + skipped * tile; x < Math.min(right - 2, width); x += tile) {
      const wide = Math.min(tile, right - 2 - x)
      const sample = view.first + (x + wide / 2) * view.perPoint
      const column = Math.min(film.strip_columns - 1, Math.max(0, Math.floor((sample / film.length) * film.strip_columns)))
      const sx = (column % THUMB.row) * THUMB.width
      const sy = Math.floor(column / THUMB.row) * THUMB.height
      ctx.drawImage(parts.picture, sx, sy, (THUMB.width * wide) / tile, THUMB.height, x, FILM.y, wide, FILM.height)
    }
  }
}

function drawSlots(
  ctx: CanvasRenderingContext2D,
  width: number,
  height: number,
  view: View,
  parts: StripParts,
  inks: Inks,
): void {
  const { production } = parts
  const takes = new Map(production.takes.map((take) => [take.id, take]))
  const recorded = new Set(production.takes.map((take) => take.line))
  const tall = height - SLOT.y - 8
  const slotted = production.lines.filter((line) => line.slot)
  const spans = slotted.map((line) => asSpan(line.slot)!)
  for (let i = firstInSight(spans, view.first); i < slotted.length; i++) {
    const line = slotted[i]!
    const x = xOf(spans[i]![0], view)
    const wide = xOf(spans[i]![1], view) - x
    if (x > width) break
    const on = line.id === parts.chosen
    if (on) {
      ctx.fillStyle = inks.wash
      ctx.fillRect(x, SLOT.y, wide, tall)
    }
    const take = line.pick ? takes.get(line.pick) : undefined
    const wave = take && parts.waves(take.id)
    if (take?.heard && wave) {
      const left = xOf(take.heard[0]!, view)
      const box = { x: left, y: SLOT.y + 8, width: xOf(take.heard[1]!, view) - left, height: tall - 12 }
      drawWave(ctx, wave, box, take.heard[0]! - take.start, view.perPoint, on ? inks.sea : inks.ink)
    }
    drawBrackets(ctx, x, SLOT.y, wide, tall, on ? inks.sea : inks.ink, on ? 2.5 : 1.3)
    if (wide < 22) continue
    ctx.fillStyle = inks.soft
    ctx.font = "11px 'Spline Sans Mono Variable', monospace"
    ctx.fillText(line.number, x + 5, SLOT.y + 12)
    if (!take && wide > 60) {
      ctx.font = "12px 'Bricolage Grotesque Variable', sans-serif"
      ctx.textAlign = 'center'
      ctx.fillText(recorded.has(line.id) ? 'to pick' : 'to read', x + wide / 2, SLOT.y + tall / 2 + 6)
      ctx.textAlign = 'left'
    }
  }
}

/** Where we are. */
export function drawPlayhead(ctx: CanvasRenderingContext2D, x: number, height: number, ink: string): void {
  ctx.fillStyle = ink
  ctx.fillRect(Math.round(x) - 0.75, 0, 1.5, height)
  ctx.beginPath()
  ctx.moveTo(x - 5, 0)
  ctx.lineTo(x + 5, 0)
  ctx.lineTo(x, 7)
  ctx.fill()
}
