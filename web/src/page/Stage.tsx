import { useEffect, useRef } from 'react'
import type { Production } from '../api/client'
import { useEngine, useWatched } from '../app/engine'

/** The picture, or in words why there is none. */
export function Stage({
  production,
  children,
  className = '',
}: {
  production: Production
  children?: React.ReactNode
  className?: string
}) {
  const engine = useEngine()
  const canvas = useRef<HTMLCanvasElement>(null)
  const state = useWatched(engine.picture.state)
  useEffect(() => (canvas.current ? engine.picture.attach(canvas.current) : undefined), [engine])
  let said = ''
  if (!production.picture.clips.length) said = 'No picture yet. Lines can be read without one.'
  else if (state === 'failed')
    said = 'This browser can’t show the picture. Sound and takes work; a current Chromium shows it.'
  else if (state === 'loading') said = 'loading the picture'
  return (
    <div className={`stage ${className}`}>
      <canvas ref={canvas} width={16} height={9} data-testid="picture" role="img" aria-label="the picture" />
      {said && <p className="stage-said">{said}</p>}
      {children}
    </div>
  )
}
