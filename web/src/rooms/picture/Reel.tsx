import { Button, SegmentedControl, Select, TextInput } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import type { Clip, Production, Source } from '../../api/client'
import { Key, KeySign } from '../../app/Key'
import type { ActionName } from '../../app/keys'
import { NumberField } from '../../app/NumberField'
import { rateOf, timecodeAt } from '../../app/room'
import { useSelection } from '../../app/selection'
import { GROUNDS } from '../../engine/reel'
import { firstSample, SAMPLE_RATE, secondsText } from '../../engine/time'
import { Still } from './Still'
import { useConsequence, useReel } from './useReel'

export const BED_MODES = [
  { value: 'ducked', label: 'ducked' },
  { value: 'full', label: 'full' },
  { value: 'muted', label: 'muted' },
]
/** How loud a source is, where that is known. */
export function loudnessOf(source: Source | undefined): string {
  return source?.loudness == null ? '' : `, ${source.loudness.toFixed(1).replace('-', '−')} LUFS`
}

function called(clip: Clip, source: Source | undefined): string {
  if (!source) return clip.name || 'picture missing'
  return clip.kind === 'slides' ? `${source.name}, page ${clip.page + 1}` : clip.name || source.name
}

/** The clips in order; the chosen one opens. */
export function Reel({ production }: { production: Production }) {
  const { clips, sources } = production.picture
  const { clip: chosen, go, index } = useReel(production)
  const list = useRef<HTMLOListElement>(null)
  const byId = new Map(sources.map((source) => [source.id, source]))
  useEffect(() => {
    list.current?.children[index]?.scrollIntoView({ block: 'nearest' })
  }, [index])
  return (
    <ol className="picture-list" aria-label="clips" ref={list}>
      {clips.map((clip, n) => {
        const source = byId.get(clip.source ?? '')
        const on = clip.id === chosen?.id
        return (
          <li key={clip.id} aria-current={on}>
            <button type="button" className="picture-row" onClick={() => go(clip)}>
              <Still source={source} clip={clip} />
              <span className="page-number">{n + 1}</span>
              <span className="picture-called">
                {called(clip, source)}
                <span className="tc quiet picture-at">{timecodeAt(production, clip.span[0]!)}</span>
              </span>
              <span className="quiet picture-long">{secondsText(clip.span[1]! - clip.span[0]!)} s</span>
            </button>
            {on && <ClipPanel production={production} clip={clip} source={source} key={clip.id} />}
          </li>
        )
      })}
    </ol>
  )
}

type Choice = { label: string; action: ActionName; value: boolean; yes: string; no: string; set: (value: boolean) => void }

function Choose({ label, action, value, yes, no, set }: Choice) {
  return (
    <>
      <SegmentedControl
        size="xs"
        aria-label={label}
        value={value ? yes : no}
        data={[yes, no]}
        onChange={(chosen) => set(chosen === yes)}
      />
      <Key action={action} />
    </>
  )
}

/** What happens to what lies behind, and to words and takes; and what the edit that is about to be made will do. */
export function How({ production }: { production: Production }) {
  const closes = useSelection((now) => now.closes)
  const follows = useSelection((now) => now.follows)
  const setReel = useSelection((now) => now.setReel)
  const consequence = useConsequence(production)
  return (
    <div className="picture-how">
      <Choose
        label="what follows a changed clip"
        action="reelCloses"
        value={closes}
        yes="closes up"
        no="a hole is left"
        set={(value) => setReel({ closes: value })}
      />
      <Choose
        label="words and takes"
        action="reelFollows"
        value={follows}
        yes="words go along"
        no="words stay"
        set={(value) => setReel({ follows: value })}
      />
      <p className="picture-consequence" role="status">
        {consequence}
      </p>
    </div>
  )
}

function ClipPanel({ production, clip, source }: { production: Production; clip: Clip; source: Source | undefined }) {
  const { edits, make, ask, edit } = useReel(production)
  const follows = useSelection((now) => now.follows)
  const rate = rateOf(production)
  const asking = (build: Parameters<typeof make>[0]) => ({
    onPointerEnter: () => ask(build),
    onFocus: () => ask(build),
    onPointerLeave: () => ask(null),
    onBlur: () => ask(null),
    onClick: () => make(build),
  })
  const [name, setName] = useState(clip.name)
  useEffect(() => setName(clip.name), [clip.name])
  const length = clip.span[1]! - clip.span[0]!
  return (
    <div className="picture-clip">
      <div className="picture-acts">
        <Button size="compact-xs" variant="default" {...asking(edits.start)}>
          begins here <KeySign action="slotStart" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.end)}>
          ends here <KeySign action="slotEnd" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.split)}>
          split here <KeySign action="reelSplit" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.close)}>
          drop, close up <KeySign action="reelDrop" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.leave)}>
          drop, leave a hole <KeySign action="reelLeave" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.earlier)}>
          move up <KeySign action="earlier" />
        </Button>
        <Button size="compact-xs" variant="default" {...asking(edits.later)}>
          move down <KeySign action="later" />
        </Button>
      </div>
      {clip.kind !== 'film' && (
        <NumberField
          label="stands for, in seconds"
          value={Math.round((length / SAMPLE_RATE) * 100) / 100}
          min={0.04}
          max={86_400}
          step={0.5}
          onSet={(seconds) => {
            const frames = Math.max(1, Math.round((seconds * rate.above) / rate.below))
            const at = clip.span[0]! + firstSample(frames, rate)
            edit({ kind: 'trim_clip', clip: clip.id, edge: 'end', at, close: true, follow: follows })
          }}
        />
      )}
      {clip.kind === 'card' && (
        <div className="picture-two">
          <TextInput
            size="xs"
            label="words on the card"
            value={name}
            maxLength={200}
            onChange={(event) => setName(event.currentTarget.value)}
            onBlur={() => name !== clip.name && edit({ kind: 'set_clip', clip: clip.id, name })}
            onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
          />
          <Select
            size="xs"
            label="ground"
            data={Object.keys(GROUNDS)}
            allowDeselect={false}
            value={clip.colour}
            onChange={(value) => value && edit({ kind: 'set_clip', clip: clip.id, colour: value as Clip['colour'] })}
          />
        </div>
      )}
      {source?.kind === 'film' && source.sound_pieces > 0 && (
        <div className="picture-two">
          <Select
            size="xs"
            label={`its own sound${loudnessOf(source)}`}
            data={BED_MODES}
            allowDeselect={false}
            value={clip.bed}
            onChange={(value) => value && edit({ kind: 'set_clip', clip: clip.id, bed: value as Clip['bed'] })}
          />
          <NumberField
            label="louder by, dB"
            value={clip.level}
            min={-40}
            max={24}
            onSet={(level) => edit({ kind: 'set_clip', clip: clip.id, level })}
          />
        </div>
      )}
    </div>
  )
}
