import type { Clip, Source } from '../../api/client'
import { GROUNDS } from '../../engine/reel'

const ROW = 20

/** One small picture out of a source's strip: of a clip's middle, or of a sample of the source. */
export function Still({ source, clip, sample }: { source: Source | undefined; clip?: Clip; sample?: number }) {
  if (!source) {
    const ground = clip?.name ? { background: GROUNDS[clip.colour] } : undefined
    return <span className={`picture-still${ground ? '' : ' picture-hole'}`} style={ground} />
  }
  if (!source.strip_columns) return <span className="picture-still" />
  const middle = sample ?? (clip ? clip.first + (clip.span[1]! - clip.span[0]!) / 2 : 0)
  const wanted = source.kind === 'film' ? Math.floor((middle / source.length) * source.strip_columns) : (clip?.page ?? 0)
  const column = Math.min(source.strip_columns - 1, Math.max(0, wanted))
  return (
    <span
      className="picture-still"
      style={{
        backgroundImage: `url(/api/sources/${source.id}/strip/)`,
        backgroundPosition: `-${(column % ROW) * 64}px -${Math.floor(column / ROW) * 36}px`,
      }}
    />
  )
}
