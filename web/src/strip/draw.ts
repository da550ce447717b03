import type { Clip, Production, Source, Voice } from '../api/client'
import { asSpan, rateOf } from '../app/room'
import { firstEndingAfter, frameAt, SAMPLE_RATE, type Span, secondsText, timecode } from '../engine/time'
import type { Inks } from '../page/drawing'
import { drawWave, type Wave } from '../page/wave'
import { firstInSight, rulerStep, type View, xOf } from './layout'

export type StripParts = {
  production: Production
  /** The small pictures of sources, by identity. */
  pictures: ReadonlyMap<string, HTMLImageElement>
  waves: (voice: Voice) => Wave | undefined
  chosen: string | null
  /** The voice that is being moved by hand, and where it would lie. */
  heldVoice: { id: string; span: Span } | null
  /** The chosen clip of the reel, where clips can be moved. */
  clip: string | null
}

const THUMB = { width: 96, height: 54, row: 20 }
export const FILM = { y: 20, height: 34 }
export const SLOT = { y: 60 }
/** Where the lozenges of sync points lie. */
export const POINT = { y: 19, reach: 5 }

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
  drawPicture(ctx, width, view, parts, inks)
  drawSyncPoints(ctx, width, height, view, parts.production, inks)
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

/** Sync points: a hairline through the strip with a small lozenge on the picture's upper edge, and its name. */
function drawSyncPoints(
  ctx: CanvasRenderingContext2D,
  width: number,
  height: number,
  view: View,
  { sync_points: points }: Production,
  inks: Inks,
): void {
  ctx.font = "11px 'Bricolage Grotesque Variable', sans-serif"
  for (let n = firstEndingAfter(points, view.first - 200 * view.perPoint, ({ at }) => at); n < points.length; n++) {
    const { at, called } = points[n]!
    const x = Math.round(xOf(at, view)) + 0.5
    if (x > width) break
    ctx.strokeStyle = inks.sea
    ctx.lineWidth = 1
    ctx.setLineDash([2, 3])
    ctx.beginPath()
    ctx.moveTo(x, FILM.y)
    ctx.lineTo(x, height)
    ctx.stroke()
    ctx.setLineDash([])
    ctx.fillStyle = inks.sea
    ctx.beginPath()
    ctx.moveTo(x, POINT.y - POINT.reach)
    ctx.lineTo(x + POINT.reach, POINT.y)
    ctx.lineTo(x, POINT.y + POINT.reach)
    ctx.lineTo(x - POINT.reach, POINT.y)
    ctx.fill()
    if (!called) continue
    const wide = ctx.measureText(called).width
    ctx.fillStyle = inks.sheet
    ctx.globalAlpha = 0.88
    ctx.fillRect(x + 1, FILM.y + FILM.height - 14, wide + 8, 14)
    ctx.globalAlpha = 1
    ctx.fillStyle = inks.ink
    ctx.fillText(called, x + 5, FILM.y + FILM.height - 3)
  }
}

function drawPicture(ctx: CanvasRenderingContext2D, width: number, view: View, parts: StripParts, inks: Inks): void {
  const { picture, wanted_length: wanted } = parts.production
  const sources = new Map(picture.sources.map((source) => [source.id, source]))
  if (!picture.clips.length && wanted) {
    // No picture, but a length that the words have to keep: it is drawn as an empty band.
    const left = xOf(0, view)
    ctx.strokeStyle = inks.soft
    ctx.lineWidth = 1
    ctx.strokeRect(left + 0.5, FILM.y + 0.5, wanted / view.perPoint - 1, FILM.height - 1)
    ctx.fillStyle = inks.soft
    ctx.font = "12px 'Bricolage Grotesque Variable', sans-serif"
    ctx.fillText(`no picture, ${secondsText(wanted)} s`, Math.max(left, 0) + 8, FILM.y + 21)
  }
  const { clips, shots } = picture
  for (let n = firstEndingAfter(clips, view.first, ({ span }) => span[1]!); n < clips.length; n++) {
    const clip = clips[n]!
    const left = xOf(clip.span[0]!, view)
    if (left > width) break
    const right = Math.max(left + 1, xOf(clip.span[1]!, view) - 2)
    const source = clip.source ? sources.get(clip.source) : undefined
    ctx.save()
    ctx.beginPath()
    ctx.rect(left, FILM.y, right - left, FILM.height)
    ctx.clip()
    ctx.fillStyle = inks.rule
    ctx.fillRect(left, FILM.y, right - left, FILM.height)
    if (source) drawThumbs(ctx, left, Math.min(right, width), view, clip, source, parts.pictures.get(source.id))
    else drawHole(ctx, left, right, width, clip.name, inks)
    if (source && !isWhole(source)) hatch(ctx, Math.max(left, xOf(madeTo(clip, source), view)), right, width, inks.sheet)
    ctx.restore()
    if (clip.id === parts.clip) {
      ctx.strokeStyle = inks.sea
      ctx.lineWidth = 3
      ctx.strokeRect(left + 1.5, FILM.y + 1.5, Math.max(1, right - left - 3), FILM.height - 3)
    }
  }
  // Where shots begin.
  ctx.fillStyle = inks.sheet
  for (let n = firstInSight(shots, view.first); n < shots.length && xOf(shots[n]![0]!, view) < width; n++) {
    ctx.fillRect(Math.round(xOf(shots[n]![0]!, view)) - 1, FILM.y, 2, FILM.height)
  }
  for (const sound of picture.laid) {
    const left = Math.max(0, xOf(sound.span[0]!, view))
    const right = Math.min(width, xOf(sound.span[1]!, view))
    if (right <= left) continue
    ctx.fillStyle = sound.bed === 'muted' ? inks.rule : sound.original ? inks.sea : inks.soft
    ctx.fillRect(left, FILM.y + FILM.height + 1, right - left, sound.original ? 4 : 2)
  }
}

const isWhole = (source: Source) => source.kind !== 'film' || source.state !== 'preparing' || source.has_proxy

/** The programme sample up to which a film can be stepped through already. */
function madeTo(clip: Clip, source: Source): number {
  const frames = source.segments * source.segment_frames
  return clip.span[0]! - clip.first + (frames * SAMPLE_RATE * source.fps[1]!) / source.fps[0]!
}

function drawThumbs(
  ctx: CanvasRenderingContext2D,
  left: number,
  right: number,
  view: View,
  clip: Clip,
  source: Source,
  image: HTMLImageElement | undefined,
): void {
  if (!image || !source.strip_columns) return
  const tile = (FILM.height * THUMB.width) / THUMB.height
  const skipped = Math.max(0, Math.floor(-left / tile))
  for (let x = left + skipped * tile; x < right; x += tile) {
    const shown = view.first + (x + Math.min(tile, right - x) / 2) * view.perPoint - clip.span[0]! + clip.first
    const column = source.kind === 'film' ? Math.floor((shown / source.length) * source.strip_columns) : clip.page
    const at = Math.min(source.strip_columns - 1, Math.max(0, column))
    const sx = (at % THUMB.row) * THUMB.width
    const sy = Math.floor(at / THUMB.row) * THUMB.height
    ctx.drawImage(image, sx, sy, THUMB.width, THUMB.height, x, FILM.y, tile, FILM.height)
  }
}

/** Where picture is missing: slanted lines, or the card's words. */
function drawHole(
  ctx: CanvasRenderingContext2D,
  left: number,
  right: number,
  width: number,
  words: string,
  inks: Inks,
): void {
  if (!words) hatch(ctx, left, right, width, inks.soft)
  ctx.fillStyle = inks.soft
  ctx.font = "12px 'Bricolage Grotesque Variable', sans-serif"
  const text = words || 'picture missing'
  if (right - left < 30) return
  const wide = ctx.measureText(text).width
  if (!words && wide + 16 < right - left) {
    ctx.fillStyle = inks.rule
    ctx.fillRect(Math.max(left, 0) + 4, FILM.y + 9, wide + 8, 17)
    ctx.fillStyle = inks.soft
  }
  if (words || wide + 16 < right - left) ctx.fillText(text, Math.max(left, 0) + 8, FILM.y + 21)
}

/** Slanted lines over a part of the picture, no further than what is in sight. */
function hatch(ctx: CanvasRenderingContext2D, left: number, right: number, width: number, ink: string): void {
  if (right <= left) return
  ctx.save()
  ctx.beginPath()
  ctx.rect(left, FILM.y, right - left, FILM.height)
  ctx.clip()
  ctx.strokeStyle = ink
  ctx.lineWidth = 1
  ctx.beginPath()
  for (let x = Math.max(left, -FILM.height) - FILM.height; x < Math.min(right, width); x += 9) {
    ctx.moveTo(x, FILM.y + FILM.height)
    ctx.lineTo(x + FILM.height, FILM.y)
  }
  ctx.stroke()
  ctx.restore()
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
    const { voice } = line
    const wave = voice && parts.waves(voice)
    if (wave) {
      const [first, last] = parts.heldVoice?.id === voice.id ? parts.heldVoice.span : asSpan(voice.span)!
      const left = xOf(first, view)
      const box = { x: left, y: SLOT.y + 8, width: xOf(last, view) - left, height: tall - 12 }
      // What nobody picked yet is drawn lighter, and its line says so.
      ctx.save()
      if (voice.provisional) ctx.globalAlpha = 0.55
      drawWave(ctx, wave, box, 0, view.perPoint, on ? inks.sea : inks.ink, voice.provisional)
      ctx.restore()
    }
    drawBrackets(ctx, x, SLOT.y, wide, tall, on ? inks.sea : inks.ink, on ? 2.5 : 1.3)
    if (wide < 22) continue
    ctx.fillStyle = inks.soft
    ctx.font = "11px 'Spline Sans Mono Variable', monospace"
    ctx.fillText(line.number, x + 5, SLOT.y + 12)
    if (voice && !voice.provisional) continue
    ctx.font = "12px 'Bricolage Grotesque Variable', sans-serif"
    if (voice) {
      const words = 'to pick'
      if (wide > 70) ctx.fillText(words, x + wide - ctx.measureText(words).width - 7, SLOT.y + 12)
    } else if (wide > 60) {
      ctx.textAlign = 'center'
      ctx.fillText(line.tally.length ? 'to pick' : 'to read', x + wide / 2, SLOT.y + tall / 2 + 6)
      ctx.textAlign = 'left'
    }
  }
}

/** Where a clip would end, or would be put. */
export function drawMark(ctx: CanvasRenderingContext2D, x: number, text: string, inks: Inks): void {
  ctx.fillStyle = inks.sea
  ctx.fillRect(Math.round(x) - 1.5, FILM.y - 4, 3, FILM.height + 8)
  ctx.font = "12px 'Spline Sans Mono Variable', monospace"
  const wide = ctx.measureText(text).width
  ctx.fillStyle = inks.sheet
  ctx.fillRect(x + 5, FILM.y + 7, wide + 8, 19)
  ctx.fillStyle = inks.ink
  ctx.fillText(text, x + 9, FILM.y + 21)
}
