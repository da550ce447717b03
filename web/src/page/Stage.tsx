import { useEffect, useRef } from 'react'
import type { Film } from '../api/client'
import { useEngine, useWatched } from '../app/engine'

/** The picture, or in words why there is none. */
export function Stage({
  film,
  children,
  className = '',
}: {
  film: Film | null
  children?: React.ReactNode
  className?: string
}) {
  const engine = useEngine()
  const canvas = useRef<HTMLCanvasElement>(null)
  const state = useWatched(engine.picture.state)
  useEffect(() => (canvas.current ? engine.picture.attach(canvas.current) : undefined), [engine])
  let said = ''
  if (!film) said = 'No picture yet. Lines can be read without one.'
  else if (film.state === 'failed') said = film.error
  else if (state === 'failed')
    said = 'This browser can’t show the picture. Sound and takes work; a current Chromium shows it.'
  else if (state === 'none') said = 'The picture is being made playable.'
  else if (state === 'loading') said = 'loading the picture'
  return (
    <div className={`stage ${className}`}>
      <canvas ref={canvas} width={16} height={9} data-testid="picture" role="img" aria-label="the picture" />
      {said && <p className="stage-said">{said}</p>}
      {children}
    </div>
  )
}
