import { TextInput } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import type { Production } from '../../api/client'
import { useEachFrame, useEngine } from '../../app/engine'
import { timecodeAt } from '../../app/room'
import { firstEndingAfter, secondsText } from '../../engine/time'
import { Still } from './Still'

/** Index of the shot that is seen at a position; the last one behind the end. */
export function shotAt(shots: readonly number[][], position: number): number {
  const after = firstEndingAfter(shots, position, (shot) => shot[1]!)
  return Math.max(0, Math.min(after, shots.length - 1))
}

type ShotsProps = {
  production: Production
  naming: number | null
  /** A shot was named; null when it stays as it was. */
  onNamed: (index: number, name: string | null) => void
}

/** The shots, numbered, with a still each; the one that is seen now is marked and kept in sight. */
export function Shots({ production, naming, onNamed }: ShotsProps) {
  const engine = useEngine()
  const list = useRef<HTMLOListElement>(null)
  const { shots, shot_names: names, clips, sources } = production.picture
  const byId = new Map(sources.map((source) => [source.id, source]))
  const here = useEachFrame(() => shotAt(shots, engine.transport.position()))
  useEffect(() => {
    list.current?.children[here]?.scrollIntoView({ block: 'nearest' })
  }, [here])
  return (
    <ol className="picture-list picture-shots" aria-label="shots" ref={list}>
      {shots.map((shot, index) => {
        const middle = (shot[0]! + shot[1]!) / 2
        const clip = clips[firstEndingAfter(clips, middle, ({ span }) => span[1]!)]
        const source = byId.get(clip?.source ?? '')
        return (
          <li key={shot[0]} aria-current={index === here}>
            <button type="button" className="picture-row" onClick={() => engine.transport.seek(shot[0]!)}>
              <Still source={source} clip={clip} sample={clip && middle - clip.span[0]! + clip.first} />
              <span className="page-number">{index + 1}</span>
              <span className="picture-called">
                {naming === index ? '' : names[index]}
                <span className="tc quiet picture-at">{timecodeAt(production, shot[0]!)}</span>
              </span>
              <span className="quiet picture-long">{secondsText(shot[1]! - shot[0]!)} s</span>
            </button>
            {naming === index && (
              <ShotName name={names[index] ?? ''} number={index + 1} onNamed={(name) => onNamed(index, name)} />
            )}
          </li>
        )
      })}
    </ol>
  )
}

function ShotName({ name, number, onNamed }: { name: string; number: number; onNamed: (name: string | null) => void }) {
  const [text, setText] = useState(name)
  return (
    <TextInput
      size="xs"
      className="picture-shot-name"
      aria-label={`name of shot ${number}`}
      placeholder="what is seen"
      maxLength={80}
      autoFocus
      value={text}
      onChange={(event) => setText(event.currentTarget.value)}
      onBlur={() => onNamed(text === name ? null : text)}
      onKeyDown={(event) => {
        if (event.key === 'Enter') event.currentTarget.blur()
        else if (event.key === 'Escape') onNamed(null)
      }}
    />
  )
}
