import { useComputedColorScheme } from '@mantine/core'
import { useEffect, useRef } from 'react'
import { useEngine } from '../app/engine'

/** The colours of the page, as a canvas takes them. */
export type Inks = {
  ink: string
  soft: string
  sea: string
  fire: string
  straw: string
  rule: string
  sheet: string
  wash: string
  /** On the dark stage beside the picture. */
  stage: string
}

type Box = { width: number; height: number }

export function inksOf(element: HTMLElement): Inks {
  const style = getComputedStyle(element)
  const ink = (name: string) => style.getPropertyValue(name).trim()
  return {
    ink: ink('--ink'),
    soft: ink('--soft'),
    sea: ink('--sea'),
    fire: ink('--fire'),
    straw: ink('--straw'),
    rule: ink('--rule'),
    sheet: ink('--sheet'),
    wash: ink('--sea-wash'),
    stage: ink('--stage-ink'),
  }
}

/** Give a canvas as many dots as its place on the screen has; its size in points. */
export function fitted(canvas: HTMLCanvasElement): Box {
  const { width, height } = canvas.getBoundingClientRect()
  canvas.width = Math.round(width * devicePixelRatio)
  canvas.height = Math.round(height * devicePixelRatio)
  canvas.getContext('2d')!.setTransform(devicePixelRatio, 0, 0, devicePixelRatio, 0, 0)
  return { width, height }
}

/** Hear of a canvas's other size, be it in points or, where the browser tells, in dots (a window moved to another screen). */
export function onResize(canvas: HTMLCanvasElement, changed: () => void): () => void {
  const observer = new ResizeObserver(changed)
  try {
    observer.observe(canvas, { box: 'device-pixel-content-box' })
  } catch {
    observer.observe(canvas)
  }
  return () => observer.disconnect()
}

export type Paint = (ctx: CanvasRenderingContext2D, box: Box, inks: Inks, position: number) => void

const still = () => ''

/**
 * A canvas that is painted anew when what it shows is another than before.
 *
 * `look` is asked in each animation frame for what the painting depends on. Its size and the inks are read when they
 * change and not in each frame, for that would make the browser lay the page out sixty times a second. Both functions must
 * stay the same ones while what they close over does (`useCallback`).
 */
export function useDrawing(paint: Paint, look: (position: number) => string = still) {
  const engine = useEngine()
  const canvas = useRef<HTMLCanvasElement>(null)
  const scheme = useComputedColorScheme('light')
  // biome-ignore lint/correctness/useExhaustiveDependencies: the scheme changes the inks that are read from the page
  useEffect(() => {
    const element = canvas.current!
    const ctx = element.getContext('2d')!
    const inks = inksOf(element)
    let box = fitted(element)
    let shown: string | undefined
    const draw = (position: number) => {
      const now = look(position)
      if (now === shown) return
      shown = now
      ctx.clearRect(0, 0, box.width, box.height)
      paint(ctx, box, inks, position)
    }
    const forget = onResize(element, () => {
      box = fitted(element)
      shown = undefined
    })
    engine.onFrame.add(draw)
    return () => {
      forget()
      engine.onFrame.delete(draw)
    }
  }, [engine, paint, look, scheme])
  return canvas
}
