import { useComputedColorScheme } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import type { Edit, Production, Voice } from '../api/client'
import { useEdits } from '../api/production'
import { useEngine } from '../app/engine'
import { sayProblem } from '../app/messages'
import { asSpan, rateOf } from '../app/room'
import { useSelection } from '../app/selection'
import { firstEndingAfter, firstSample, frameAt, SAMPLE_RATE, type Span, secondsText } from '../engine/time'
import { fitted, inksOf, onResize } from '../page/drawing'
import { type Wave, waveQuery } from '../page/wave'
import { drawMark, drawStrip, FILM, POINT, SLOT } from './draw'
import { following, type Hold, holdAt, kept, movedSlot, nearestEdge, sampleAt, type View, xOf, zoomed } from './layout'

/** The line whose slot holds a position. */
function lineAt(production: Production, position: number): string | null {
  return production.lines.find((line) => line.slot && line.slot[0]! <= position && position < line.slot[1]!)?.id ?? null
}

/** A slot that is being moved: what it was, and what it would be. */
type Held = { id: string; hold: Hold; from: Span; span: Span; x: number; moved: boolean }

function slotsOf(production: Production): { id: string; span: Span }[] {
  return production.lines.flatMap((line) => {
    const span = asSpan(line.slot)
    return span ? [{ id: line.id, span }] : []
  })
}

/** A clip that is being moved or trimmed: what was taken, and where it would go. */
type Cut = { clip: string; hold: Hold; at: number; x: number; moved: boolean; text: string; edit: Edit | null }

/** A voice that is being moved: where it lay, and where it would. */
type HeldVoice = { id: string; line: string; from: Span; span: Span; x: number; moved: boolean }

/** A sync point that is being moved: where it is, and where it would be. */
type HeldPoint = { at: number; called: string; to: number; x: number; moved: boolean }

/** The production as it would be with the held sync point where it is now. */
function withPoint(production: Production, held: HeldPoint | null): Production {
  if (!held?.moved) return production
  const others = production.sync_points.filter(({ at }) => at !== held.at && at !== held.to)
  const points = [...others, { at: held.to, called: held.called }].sort((one, other) => one.at - other.at)
  return { ...production, sync_points: points }
}

/** The production as it would be with the held slot where it is now. */
function withSlot(production: Production, held: Held | null): Production {
  if (!held?.moved) return production
  return {
    ...production,
    lines: production.lines.map((line) => (line.id === held.id ? { ...line, slot: [...held.span] } : line)),
  }
}

/** The programme along time: picture, slots, picked readings. Drawn on two canvases, so that the playhead moves alone. */
export function Strip({ production }: { production: Production }) {
  const engine = useEngine()
  const queries = useQueryClient()
  const still = useRef<HTMLCanvasElement>(null)
  const moving = useRef<HTMLCanvasElement>(null)
  const pin = useRef<HTMLSpanElement>(null)
  const view = useRef<View>({ first: -SAMPLE_RATE, perPoint: 2400 })
  const dirty = useRef(true)
  const pictures = useRef(new Map<string, HTMLImageElement>())
  const chosen = useSelection((now) => now.line)
  const scheme = useComputedColorScheme('light')
  const { picture } = production
  const length =
    (picture.clips.length || production.wanted_length) && picture.length
      ? picture.length
      : Math.max(60 * SAMPLE_RATE, picture.length)
  const holds = useSelection((now) => now.holds)
  const chosenClip = useSelection((now) => now.clip)
  const clip = holds === 'reel' ? chosenClip : null
  const latest = useRef({ production, chosen, length, clip })
  const point = useSelection((now) => now.point)
  // biome-ignore lint/correctness/useExhaustiveDependencies: other points are other marks
  useEffect(() => {
    dirty.current = true
  }, [point])
  const { edit } = useEdits(production.id)
  const held = useRef<Held | null>(null)
  const cut = useRef<Cut | null>(null)
  const heldVoice = useRef<HeldVoice | null>(null)
  const heldPoint = useRef<HeldPoint | null>(null)

  // biome-ignore lint/correctness/useExhaustiveDependencies: whatever is drawn makes the strip dirty
  useEffect(() => {
    latest.current = { production, chosen, length, clip }
    dirty.current = true
  }, [production, chosen, length, scheme, clip])

  const drawn = picture.sources.flatMap(({ id, strip_columns }) => (strip_columns ? `${id} ${strip_columns}` : []))
  const drawnNow = drawn.join()
  useEffect(() => {
    for (const source of drawnNow ? drawnNow.split(',') : []) {
      if (pictures.current.get(source.split(' ')[0]!)?.src.endsWith(`?${source.split(' ')[1]}`)) continue
      const image = new Image()
      image.onload = () => {
        pictures.current.set(source.split(' ')[0]!, image)
        dirty.current = true
      }
      image.src = `/api/sources/${source.split(' ')[0]}/strip/?${source.split(' ')[1]}`
    }
  }, [drawnNow])

  useEffect(() => {
    const back = still.current!
    const front = moving.current!
    const asked = new Set<string>()
    const waves = (voice: Voice): Wave | undefined => {
      const query = waveQuery(voice)
      const known = queries.getQueryData<Wave>(query.queryKey)
      if (!known && !asked.has(voice.key)) {
        asked.add(voice.key)
        void queries.prefetchQuery(query).then(() => {
          dirty.current = true
        })
      }
      return known
    }
    let last = Number.NaN
    let shown = ''
    let marked = ''
    let inks = inksOf(front)
    let box = { width: 0, height: 0 }
    const measure = () => {
      fitted(back)
      box = fitted(front)
      dirty.current = true
    }
    measure()
    const forget = onResize(front, measure)
    const draw = (position: number) => {
      const { width, height } = box
      const now = latest.current
      const { playing } = engine.transport.state.value
      const follow = position !== last ? following(view.current, position, width, now.length, playing) : view.current
      if (follow !== view.current) {
        view.current = follow
        dirty.current = true
      }
      if (playing && position !== last && engine.transport.follows && !engine.recorder.isBusy) {
        const inside = lineAt(now.production, position)
        if (inside && inside !== now.chosen) useSelection.getState().choose(inside)
      }
      last = position
      const x = Math.round(xOf(position, view.current) * devicePixelRatio) / devicePixelRatio
      const busy = ['recording', 'finishing'].includes(engine.recorder.state.value.kind)
      const place = `translateX(${x}px)`
      if (place !== shown) pin.current!.style.transform = shown = place
      pin.current!.dataset.busy = String(busy)
      if (dirty.current) {
        inks = inksOf(front)
        const parts = {
          production: withPoint(withSlot(now.production, held.current), heldPoint.current),
          pictures: pictures.current,
          waves,
          chosen: now.chosen,
          clip: now.clip,
          heldVoice: heldVoice.current,
        }
        drawStrip(back.getContext('2d')!, width, height, view.current, parts, inks)
      }
      const mark = cut.current
      const { from, to } = useSelection.getState().point
      const marks = `${from} ${to} ${mark?.moved && `${mark.at} ${mark.text}`}`
      if (!dirty.current && marks === marked) return
      marked = marks
      const ctx = front.getContext('2d')!
      ctx.clearRect(0, 0, width, height)
      for (const at of [from, to]) if (at !== null) drawMark(ctx, xOf(at, view.current), at === from ? 'from' : 'to', inks)
      if (mark?.moved) drawMark(ctx, xOf(mark.at, view.current), mark.text, inks)
      dirty.current = false
    }
    engine.onFrame.add(draw)
    return () => {
      forget()
      engine.onFrame.delete(draw)
    }
  }, [engine, queries])

  const seek = (event: React.PointerEvent) => {
    if (engine.recorder.isBusy) return
    const rate = rateOf(production)
    const x = event.clientX - event.currentTarget.getBoundingClientRect().left
    const sample = Math.max(0, Math.min(length, sampleAt(x, view.current)))
    engine.transport.seek(firstSample(frameAt(sample, rate), rate))
    const under = picture.clips.find(({ span }) => span[0]! <= sample && sample < span[1]!)
    if (holds === 'reel' && under) useSelection.getState().chooseClip(under.id)
    const inside = lineAt(production, sample)
    if (inside) useSelection.getState().choose(inside)
  }
  /** Where slots can be taken, by the pointer over their row. */
  const hover = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    if (holds !== 'slots' || engine.recorder.isBusy || event.clientY - box.top < SLOT.y) return null
    return holdAt(event.clientX - box.left, view.current, slotsOf(production), chosen)
  }
  /** The sync point whose lozenge lies under the pointer, in rooms where they are set. */
  const pointAt = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    const [x, y] = [event.clientX - box.left, event.clientY - box.top]
    if (holds === 'slots' || engine.recorder.isBusy || Math.abs(y - POINT.y) > POINT.reach + 3) return null
    return production.sync_points.find(({ at }) => Math.abs(xOf(at, view.current) - x) <= POINT.reach + 2) ?? null
  }
  /** Which clip lies under the pointer, and what of it. */
  const clipAt = (event: React.PointerEvent) => {
    const box = event.currentTarget.getBoundingClientRect()
    const y = event.clientY - box.top
    if (holds !== 'reel' || engine.recorder.isBusy || y < FILM.y - 4 || y > FILM.y + FILM.height + 4) return null
    const at = sampleAt(event.clientX - box.left, view.current)
    // Only clips near the pointer can be meant: there may be thousands.
    const n = firstEndingAfter(picture.clips, at, ({ span }) => span[1]!)
    const near = picture.clips.slice(Math.max(0, n - 1), n + 2).map(({ id, span }) => ({ id, span: asSpan(span)! }))
    return holdAt(event.clientX - box.left, view.current, near, clip)
  }
  /** The voice under the pointer, where voices can be moved: below the picture, in Takes. */
  const voiceAt = (event: React.PointerEvent): HeldVoice | null => {
    const box = event.currentTarget.getBoundingClientRect()
    if (holds !== 'voices' || engine.recorder.isBusy || event.clientY - box.top < SLOT.y) return null
    const at = sampleAt(event.clientX - box.left, view.current)
    const under = production.lines.filter(({ voice }) => voice && voice.span[0]! <= at && at < voice.span[1]!)
    const line = under.find(({ id }) => id === chosen) ?? under[0]
    if (!line?.voice) return null
    const from = asSpan(line.voice.span)!
    return { id: line.voice.id, line: line.id, from, span: from, x: event.clientX, moved: false }
  }
  /** A voice moved by some samples: its first word is drawn to the slot's start, to the playhead and to sync points. */
  const drawnTo = ({ id, from }: HeldVoice, by: number): Span => {
    const line = production.lines.find(({ voice }) => voice?.id === id)
    const speaks = line?.voice?.speech?.[0] ?? from[0]
    const points = production.sync_points.map((point) => point.at)
    const edges = [...(line?.slot ? [line.slot[0]!] : []), engine.transport.position(), ...points]
    const to = nearestEdge(speaks + by, edges, view.current)
    const moved = to === undefined ? by : to - speaks
    return [from[0] + moved, from[1] + moved]
  }
  const trimmed = (event: React.PointerEvent, mark: Cut) => {
    const rate = rateOf(production)
    const box = event.currentTarget.getBoundingClientRect()
    const at = sampleAt(event.clientX - box.left, view.current)
    const own = picture.clips.find(({ id }) => id === mark.clip)
    if (!own) return
    const { closes, follows } = useSelection.getState()
    if (mark.hold === 'whole') {
      const before = picture.clips.find((other) => (other.span[0]! + other.span[1]!) / 2 > at)
      mark.at = before?.span[0] ?? picture.length
      mark.text = before ? `before clip ${picture.clips.indexOf(before) + 1}` : 'at the end'
      mark.edit = { kind: 'move_clip', clip: mark.clip, before: before?.id ?? null, follow: follows }
      return
    }
    const edges = event.altKey ? [] : [...picture.shots.flat(), engine.transport.position()]
    const frame = Math.max(0, frameAt(nearestEdge(at, edges, view.current) ?? at, rate))
    mark.at = firstSample(frame, rate)
    const [start, end] = asSpan(own.span)!
    const by = mark.hold === 'end' ? mark.at - end : start - mark.at
    mark.text = `${by < 0 ? '−' : '+'}${secondsText(Math.abs(by), 2)} s`
    mark.edit = { kind: 'trim_clip', clip: mark.clip, edge: mark.hold, at: mark.at, close: closes, follow: follows }
  }
  const press = (event: React.PointerEvent) => {
    event.currentTarget.setPointerCapture(event.pointerId)
    const under = pointAt(event)
    if (under) {
      heldPoint.current = { ...under, to: under.at, x: event.clientX, moved: false }
      return
    }
    const taken = clipAt(event)
    if (taken) {
      cut.current = { clip: taken.id, hold: taken.hold, at: 0, x: event.clientX, moved: false, text: '', edit: null }
      return
    }
    const voice = voiceAt(event)
    if (voice) {
      heldVoice.current = voice
      return
    }
    const found = hover(event)
    const span = found && asSpan(production.lines.find((line) => line.id === found.id)?.slot)
    held.current = found && span ? { ...found, from: span, span, x: event.clientX, moved: false } : null
    if (!held.current) seek(event)
  }
  const drag = (event: React.PointerEvent) => {
    const hold = held.current
    const mark = cut.current
    const point = heldPoint.current
    if (point && event.buttons === 1) {
      if (!point.moved && Math.abs(event.clientX - point.x) < 4) return
      point.moved = true
      const rate = rateOf(production)
      const by = Math.round((event.clientX - point.x) * view.current.perPoint)
      point.to = firstSample(frameAt(Math.max(0, Math.min(length - 1, point.at + by)), rate), rate)
      engine.transport.seek(point.to)
      dirty.current = true
      return
    }
    if (mark && event.buttons === 1) {
      if (!mark.moved && Math.abs(event.clientX - mark.x) < 4) return
      mark.moved = true
      trimmed(event, mark)
      useSelection.getState().setReel({ asked: mark.edit })
      dirty.current = true
      return
    }
    const voice = heldVoice.current
    if (voice && event.buttons === 1) {
      if (!voice.moved && Math.abs(event.clientX - voice.x) < 4) return
      voice.moved = true
      const by = Math.round((event.clientX - voice.x) * view.current.perPoint)
      voice.span = event.altKey ? [voice.from[0] + by, voice.from[1] + by] : drawnTo(voice, by)
      dirty.current = true
      return
    }
    if (event.buttons !== 1) {
      const found = hover(event) ?? clipAt(event)
      const grab = pointAt(event) || voiceAt(event) || found?.hold === 'whole'
      const cursor = grab ? 'grab' : found ? 'ew-resize' : ''
      ;(event.currentTarget as HTMLElement).style.cursor = cursor
      return
    }
    if (!hold) return seek(event)
    if (!hold.moved && Math.abs(event.clientX - hold.x) < 4) return
    hold.moved = true
    // Shots, the other slots and the position draw the held end to them; not while Alt is held.
    const edges = event.altKey
      ? []
      : [
          ...picture.shots.flat(),
          ...slotsOf(production).flatMap(({ id, span }): number[] => (id === hold.id ? [] : [...span])),
          engine.transport.position(),
        ]
    const by = Math.round((event.clientX - hold.x) * view.current.perPoint)
    hold.span = movedSlot(hold.from, hold.hold, by, view.current, edges, SAMPLE_RATE / 5)
    dirty.current = true
  }
  const drop = (event: React.PointerEvent) => {
    const mark = cut.current
    const point = heldPoint.current
    if (point) {
      const settled = () => {
        heldPoint.current = null
        dirty.current = true
      }
      if (point.to === point.at) {
        settled()
        return engine.transport.seek(point.at)
      }
      const move = { kind: 'move_sync_point', at: point.at, to: point.to } as const
      return edit.mutate(move, { onError: sayProblem, onSettled: settled })
    }
    if (mark) {
      cut.current = null
      dirty.current = true
      useSelection.getState().chooseClip(mark.clip)
      useSelection.getState().setReel({ asked: null })
      if (mark.edit) return edit.mutate(mark.edit, { onError: sayProblem })
      return seek(event)
    }
    const voice = heldVoice.current
    if (voice) {
      useSelection.getState().choose(voice.line)
      const by = voice.span[0] - voice.from[0]
      const settled = () => {
        heldVoice.current = null
        dirty.current = true
      }
      if (!voice.moved || !by) {
        settled()
        return voice.moved ? undefined : seek(event)
      }
      return edit.mutate({ kind: 'move_voice', voice: voice.id, by }, { onError: sayProblem, onSettled: settled })
    }
    const hold = held.current
    if (!hold) return
    useSelection.getState().choose(hold.id)
    if (!hold.moved) {
      held.current = null
      return seek(event)
    }
    edit.mutate(
      { kind: 'set_slot', line: hold.id, slot: [...hold.span] },
      {
        onError: sayProblem,
        onSettled: () => {
          held.current = null
          dirty.current = true
        },
      },
    )
  }
  const zoom = (factor: number, x = (moving.current?.clientWidth ?? 0) / 2) => {
    view.current = zoomed(view.current, factor, x, moving.current?.clientWidth ?? 1, length)
    dirty.current = true
  }
  useEffect(() => {
    const canvas = moving.current!
    const wheel = (event: WheelEvent) => {
      event.preventDefault()
      const width = canvas.clientWidth
      if (event.ctrlKey) {
        view.current = zoomed(view.current, 1.0015 ** event.deltaY, event.offsetX, width, latest.current.length)
      } else {
        const by = Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.deltaY
        view.current = kept(
          { ...view.current, first: view.current.first + by * view.current.perPoint },
          width,
          latest.current.length,
        )
      }
      dirty.current = true
    }
    canvas.addEventListener('wheel', wheel, { passive: false })
    return () => canvas.removeEventListener('wheel', wheel)
  }, [])

  return (
    <section className="strip" aria-label="strip of time" data-testid="strip">
      <canvas ref={still} />
      <canvas
        ref={moving}
        aria-label="the programme along time; the arrow keys move in it"
        role="img"
        onPointerDown={press}
        onPointerMove={drag}
        onPointerUp={drop}
      />
      <span ref={pin} className="strip-head" data-testid="strip-head" />
      <span className="strip-zoom">
        <button type="button" aria-label="see more of the programme" onClick={() => zoom(1.6)}>
          −
        </button>
        <button type="button" aria-label="see it closer" onClick={() => zoom(1 / 1.6)}>
          +
        </button>
      </span>
    </section>
  )
}
