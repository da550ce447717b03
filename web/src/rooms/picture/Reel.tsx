import { Button, NumberInput, SegmentedControl, Select, TextInput } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import type { Piece, Production, Source } from '../../api/client'
import { useDesk } from '../../app/desk'
import { Key } from '../../app/Key'
import { rateOf, timecodeAt } from '../../app/room'
import { firstSample, SAMPLE_RATE, secondsText } from '../../engine/time'
import { Still } from './Still'
import { useReel } from './useReel'

export const HEARD = [
  { value: 'lowered', label: 'gives way to voice' },
  { value: 'kept', label: 'stays as it is' },
  { value: 'silent', label: 'silent' },
]
const COLOURS = [
  { value: 'slate', label: 'slate' },
  { value: 'black', label: 'black' },
  { value: 'sea', label: 'sea' },
  { value: 'sand', label: 'sand' },
]

/** How loud a source is, where that is known. */
export function loudnessOf(source: Source | undefined): string {
  return source?.loudness == null ? '' : `, ${source.loudness.toFixed(1).replace('-', '−')} LUFS`
}

function called(piece: Piece, source: Source | undefined): string {
  if (!source) return piece.name || 'picture missing'
  return piece.kind === 'slides' ? `${source.name}, page ${piece.page + 1}` : piece.name || source.name
}

/** The pieces in order; the chosen one opens. */
export function Reel({ production }: { production: Production }) {
  const { pieces, sources } = production.picture
  const { piece: chosen, go, index } = useReel(production)
  const list = useRef<HTMLOListElement>(null)
  const byId = new Map(sources.map((source) => [source.id, source]))
  useEffect(() => {
    list.current?.children[index]?.scrollIntoView({ block: 'nearest' })
  }, [index])
  return (
    <ol className="picture-list" aria-label="pieces" ref={list}>
      {pieces.map((piece, n) => {
        const source = byId.get(piece.source ?? '')
        const on = piece.id === chosen?.id
        return (
          <li key={piece.id} aria-current={on}>
            <button type="button" className="picture-row" onClick={() => go(piece)}>
              <Still source={source} piece={piece} />
              <span className="page-number">{n + 1}</span>
              <span className="picture-called">
                {called(piece, source)}
                <span className="tc quiet picture-at">{timecodeAt(production, piece.span[0]!)}</span>
              </span>
              <span className="quiet picture-long">{secondsText(piece.span[1]! - piece.span[0]!)} s</span>
            </button>
            {on && <PiecePanel production={production} piece={piece} source={source} key={piece.id} />}
          </li>
        )
      })}
    </ol>
  )
}

/** What happens to what lies behind, and to words and takes. */
export function How({ consequence }: { consequence: string }) {
  const { closes, follows, setReel } = useDesk()
  return (
    <div className="picture-how">
      <SegmentedControl
        size="xs"
        aria-label="what follows a changed piece"
        value={closes ? 'closes' : 'stays'}
        data={[
          { value: 'closes', label: 'closes up' },
          { value: 'stays', label: 'a hole is left' },
        ]}
        onChange={(value) => setReel({ closes: value === 'closes' })}
      />
      <Key action="reelCloses" />
      <SegmentedControl
        size="xs"
        aria-label="words and takes"
        value={follows ? 'go' : 'stay'}
        data={[
          { value: 'go', label: 'words go along' },
          { value: 'stay', label: 'words stay' },
        ]}
        onChange={(value) => setReel({ follows: value === 'go' })}
      />
      <Key action="reelFollows" />
      <p className="picture-consequence" role="status">
        {consequence}
      </p>
    </div>
  )
}

function PiecePanel({ production, piece, source }: { production: Production; piece: Piece; source: Source | undefined }) {
  const { edits, make, ask, edit } = useReel(production)
  const { follows } = useDesk()
  const rate = rateOf(production)
  const asking = (build: Parameters<typeof make>[0]) => ({
    onPointerEnter: () => ask(build),
    onFocus: () => ask(build),
    onPointerLeave: () => ask(null),
    onBlur: () => ask(null),
    onClick: () => make(build),
  })
  const [name, setName] = useState(piece.name)
  useEffect(() => setName(piece.name), [piece.name])
  const length = piece.span[1]! - piece.span[0]!
  return (
    <div className="picture-piece">
      <div className="picture-acts">
        <Button size="compact-xs" variant="default" {...asking(edits.start)}>
          begins here <Key action="slotStart" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.end)}>
          ends here <Key action="slotEnd" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.split)}>
          split here <Key action="reelSplit" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.close)}>
          drop, close up <Key action="reelDrop" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.leave)}>
          drop, leave a hole <Key action="reelLeave" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.earlier)}>
          move up <Key action="earlier" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.later)}>
          move down <Key action="later" />
        </Button>
      </div>
      {piece.kind !== 'film' && (
        <NumberInput
          size="xs"
          label="stands for, in seconds"
          key={length}
          defaultValue={Math.round((length / SAMPLE_RATE) * 100) / 100}
          min={1 / 25}
          max={86_400}
          step={0.5}
          onBlur={(event) => {
            const seconds = Number(event.currentTarget.value.replace(',', '.'))
            const frames = Math.round((seconds * rate.above) / rate.below)
            const at = piece.span[0]! + firstSample(Math.max(1, frames), rate)
            if (!Number.isFinite(seconds) || Math.abs(at - piece.span[1]!) < SAMPLE_RATE / 100) return
            edit({ kind: 'trim_piece', piece: piece.id, edge: 'end', at, close: true, follow: follows })
          }}
          onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
        />
      )}
      {piece.kind === 'card' && (
        <div className="picture-two">
          <TextInput
            size="xs"
            label="words on the card"
            value={name}
            maxLength={200}
            onChange={(event) => setName(event.currentTarget.value)}
            onBlur={() => name !== piece.name && edit({ kind: 'set_piece', piece: piece.id, name })}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
          <Select
            size="xs"
            label="ground"
            data={COLOURS}
            allowDeselect={false}
            value={piece.colour}
            onChange={(value) => value && edit({ kind: 'set_piece', piece: piece.id, colour: value as Piece['colour'] })}
          />
        </div>
      )}
      {source?.kind === 'film' && source.sound_pieces > 0 && (
        <div className="picture-two">
          <Select
            size="xs"
            label={`its own sound${loudnessOf(source)}`}
            data={HEARD}
            allowDeselect={false}
            value={piece.heard}
            onChange={(value) => value && edit({ kind: 'set_piece', piece: piece.id, heard: value as Piece['heard'] })}
          />
          <NumberInput
            size="xs"
            label="louder by, dB"
            key={piece.level}
            defaultValue={piece.level}
            min={-40}
            max={24}
            step={1}
            onBlur={(event) => {
              const level = Number(event.currentTarget.value)
              if (Number.isFinite(level) && level !== piece.level) edit({ kind: 'set_piece', piece: piece.id, level })
            }}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
        </div>
      )}
    </div>
  )
}
