import { Button, SegmentedControl } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useEffect, useRef, useState } from 'react'
import type { Production } from '../../api/client'
import { useSettings } from '../../api/production'
import { useEngine } from '../../app/engine'
import { Key, KeySign } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { rateOf, useRoom } from '../../app/room'
import { SendingList } from '../../app/SendingList'
import { useSelection } from '../../app/selection'
import { send } from '../../app/sending'
import { useSyncPoint } from '../../app/syncPoint'
import { frameAt, timecode } from '../../engine/time'
import { Stage } from '../../page/Stage'
import { Files } from './Files'
import { How, Reel } from './Reel'
import { Shots, shotAt } from './Shots'
import { Sounds } from './Sounds'
import { SyncPoints } from './SyncPoints'
import { useReel } from './useReel'
import './picture.css'

const ACCEPTED =
  'video/*,audio/*,image/png,image/jpeg,image/webp,.heic,.pdf,.mkv,.mov,.mp4,.webm,.avi,.mpg,.ts,.wav,.w64,.caf,.flac,.opus,.edl,.otio'

type Side = 'reel' | 'files' | 'sound' | 'shots'

/** The picture that is read against: bring things in, put them in order, see where shots begin. */
export function Component() {
  const { production } = useRoom()
  const engine = useEngine()
  const queries = useQueryClient()
  const chooser = useRef<HTMLInputElement>(null)
  const [over, setOver] = useState(false)
  const [side, setSide] = useState<Side>('reel')
  const [naming, setNaming] = useState<number | null>(null)
  const { shots, clips, sources } = production.picture
  const setReel = useSelection((now) => now.setReel)
  const setHolds = useSelection((now) => now.setHolds)
  const reel = useReel(production)
  const toggleSyncPoint = useSyncPoint(production)
  useEffect(() => {
    setHolds('reel')
    return () => {
      setHolds(null)
      setReel({ asked: null })
    }
  }, [setHolds, setReel])

  const bring = (files: FileList | null) => files?.length && send(queries, production.id, [...files])
  const shotFrom = (by: number) => {
    const at = engine.transport.position()
    const starts = shots.map((shot) => shot[0]!)
    const next = by > 0 ? starts.find((start) => start > at) : starts.filter((start) => start < at).at(-1)
    if (next !== undefined) engine.transport.seek(next)
  }
  const changeShot = (kind: 'part_shot' | 'join_shots') =>
    clips.length && reel.edit({ kind, at: engine.transport.position() })
  useKeys({
    shotBack: () => shotFrom(-1),
    shotOn: () => shotFrom(1),
    shotPart: () => changeShot('part_shot'),
    shotJoin: () => changeShot('join_shots'),
    shotName: () => {
      if (!clips.length) return
      setSide('shots')
      setNaming(shotAt(shots, engine.transport.position()))
    },
    up: () => reel.step(-1),
    down: () => reel.step(1),
    slotStart: () => reel.make(reel.edits.start),
    slotEnd: () => reel.make(reel.edits.end),
    syncPoint: toggleSyncPoint,
    reelSplit: () => reel.make(reel.edits.split),
    reelDrop: () => reel.make(reel.edits.close),
    reelLeave: () => reel.make(reel.edits.leave),
    earlier: () => reel.make(reel.edits.earlier),
    later: () => reel.make(reel.edits.later),
    reelCard: () => reel.make(reel.edits.card),
    reelCloses: () => setReel({ closes: !useSelection.getState().closes }),
    reelFollows: () => setReel({ follows: !useSelection.getState().follows }),
  })
  const named = (index: number, name: string | null) => {
    setNaming(null)
    if (name !== null) reel.edit({ kind: 'name_shot', at: shots[index]![0]!, called: name })
  }

  return (
    <section
      className={`picture-room${over ? ' over' : ''}`}
      aria-label="Picture"
      onDragOver={(event) => {
        event.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event) => {
        event.preventDefault()
        setOver(false)
        bring(event.dataTransfer.files)
      }}
    >
      <div className="picture-left">
        <Stage production={production} className="picture-stage" />
        <div className="picture-under">
          <How production={production} />
          <Key action="play">play</Key> <Key action="frameBack" /> <Key action="frameOn">frame</Key>{' '}
          <Key action="shotBack" /> <Key action="shotOn">shot</Key> <Key action="up" /> <Key action="down">clip</Key>{' '}
          <Key action="shotPart">a shot begins here</Key> <Key action="shotJoin">join with the one before</Key>{' '}
          <Key action="shotName">name it</Key> <Key action="syncPoint">sync point</Key>
        </div>
      </div>
      <aside className="picture-side">
        <input
          ref={chooser}
          type="file"
          hidden
          multiple
          accept={ACCEPTED}
          data-testid="film-file"
          onChange={(event) => {
            bring(event.currentTarget.files)
            event.currentTarget.value = ''
          }}
        />
        {sources.length ? <ReelFacts production={production} /> : <EmptyPicture />}
        <div className="picture-bring">
          <Button size="xs" variant={sources.length ? 'default' : 'filled'} onClick={() => chooser.current?.click()}>
            {sources.length ? 'Bring in more' : 'Choose files'}
          </Button>
          <Button size="xs" variant="default" onClick={() => reel.make(reel.edits.card)}>
            Leave a card <KeySign action="reelCard" />
          </Button>
          <span className="quiet">or drop files here</span>
        </div>
        <SendingList production={production.id} />
        {(sources.length > 0 || clips.length > 0) && (
          <>
            <SegmentedControl
              size="xs"
              fullWidth
              aria-label="what is shown"
              value={side}
              onChange={(value) => setSide(value as Side)}
              data={[
                { value: 'reel', label: `Reel ${clips.length}` },
                { value: 'files', label: `Files ${sources.length}` },
                { value: 'sound', label: 'Sound' },
                { value: 'shots', label: `Shots ${shots.length}` },
              ]}
            />
            {side === 'reel' && <Reel production={production} />}
            {side === 'files' && <Files production={production} />}
            {side === 'sound' && <Sounds production={production} />}
            {side === 'shots' && <SyncPoints production={production} />}
            {side === 'shots' && <Shots production={production} naming={naming} onNamed={named} />}
          </>
        )}
      </aside>
    </section>
  )
}

function EmptyPicture() {
  return (
    <div>
      <h2>No picture yet</h2>
      <p className="quiet">
        Bring in what is read against: a finished film (its cuts become shots), several clips, stills, slides as a PDF, or
        an original to listen to. Without any, lines can be read all the same: go on to Script.
      </p>
    </div>
  )
}

/** The timecode of the programme's first frame; everything speaks from there. */
function Start({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const known = timecode(production.start_frame, rateOf(production))
  const [text, setText] = useState(known)
  useEffect(() => setText(known), [known])
  const set = () => {
    if (text === known) return
    settings.mutate(
      { start_timecode: text },
      {
        onError: (error) => {
          setText(known)
          sayProblem(error)
        },
      },
    )
  }
  return (
    <input
      className="tc picture-start"
      aria-label="timecode of the first frame"
      value={text}
      maxLength={11}
      onChange={(event) => setText(event.currentTarget.value)}
      onBlur={set}
      onKeyDown={(event) => event.key === 'Enter' && event.currentTarget.blur()}
    />
  )
}

function ReelFacts({ production }: { production: Production }) {
  const rate = rateOf(production)
  const fps = (rate.above / rate.below).toFixed(3).replace(/\.?0+$/, '')
  const { clips, shots, length } = production.picture
  const missing = clips.filter((clip) => clip.kind === 'card' && !clip.name).length
  return (
    <div className="quiet picture-facts">
      <span className="tc">{timecode(frameAt(length, rate), rate)}</span> long · {fps} frames a second ·{' '}
      {shots.length === 1 ? 'one shot' : `${shots.length} shots`} · begins at <Start production={production} />
      {missing > 0 && <strong> · picture missing in {missing === 1 ? 'one place' : `${missing} places`}</strong>}
    </div>
  )
}
