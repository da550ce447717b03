import { Button } from '@mantine/core'
import { useQuery } from '@tanstack/react-query'
import { useEffect, useLayoutEffect, useRef } from 'react'
import { useParams } from 'react-router'
import { answered, client, type Line, type Production } from '../../api/client'
import { useOthers, useProduction } from '../../api/production'
import type { components } from '../../api/schema'
import { Failed, Loading } from '../../app/messages'
import { roomOf } from '../../app/room'
import { SAMPLE_RATE } from '../../engine/time'
import { Words } from '../../page/Words'
import { STATES } from './states'
import './booth.css'
import './second.css'

type Screen = components['schemas']['Screen']

const LOOK_MS = 250
const SIZES = { least: 16, most: 150 }

/** For a screen beside the microphone: what is read in the Booth of another window or machine, large, and whether it records. */
export function Component() {
  const { id = '' } = useParams()
  const { data, error, refetch } = useProduction(id)
  useOthers(id)
  useEffect(() => {
    if (data) document.title = `${data.name}, second screen`
  }, [data])
  useAwake()
  if (!data && error) return <Failed said={error.message} onRetry={() => void refetch()} />
  if (!data) return <Loading />
  return <Inside production={data} />
}

function Inside({ production }: { production: Production }) {
  const { data, error, dataUpdatedAt } = useQuery({
    queryKey: ['screen', production.id],
    queryFn: () =>
      answered(
        client.GET('/api/productions/{production_id}/screen/', { params: { path: { production_id: production.id } } }),
      ),
    refetchInterval: LOOK_MS,
    refetchIntervalInBackground: true,
    retry: false,
  })
  const whole = useRef<HTMLElement>(null)
  const { lines } = production
  const at = lines.findIndex(({ id }) => id === data?.line)
  // What can't be asked for is not known: an old state is never shown as if it held.
  const screen = data?.open && !error ? data : null
  const line = screen ? lines[at] : undefined
  const next = screen ? lines[at + 1] : undefined
  const state = screen?.state ?? 'ready'
  return (
    <main className="second" ref={whole} data-state={screen ? state.replace(' ', '-') : 'none'}>
      <header className="second-top">
        <div className="booth-state" data-state={state} role="status" data-testid="second-state">
          {screen ? (
            <>
              <span className="booth-state-sign" aria-hidden="true" />
              <b>{STATES[state]}</b> {screen.take && <span className="booth-state-more">take {screen.take}</span>}
            </>
          ) : (
            <b>{error ? 'No connection' : 'No Booth is open'}</b>
          )}
        </div>
        <h1>{production.name}</h1>
        <Button className="second-whole" variant="default" onClick={() => void whole.current?.requestFullscreen()}>
          Fill the screen
        </Button>
      </header>
      {screen?.state === 'recording' && line && <Left line={line} screen={screen} at={dataUpdatedAt} />}
      {line ? (
        <Fitted key={line.id} line={line} word={screen?.word ?? null} />
      ) : (
        <p className="second-none">
          {error
            ? 'What is shown here may be over. It comes back by itself; a take that goes on elsewhere goes on.'
            : 'Open the Booth of this production where you record: what is read there stands here.'}
        </p>
      )}
      {next?.text && (
        <p className="second-next">
          <span>{next.number}</span> {next.text}
        </p>
      )}
    </main>
  )
}

/** The words, as large as the screen lets the whole line be. */
function Fitted({ line, word }: { line: Line; word: number | null }) {
  const box = useRef<HTMLDivElement>(null)
  // biome-ignore lint/correctness/useExhaustiveDependencies: other words want another size
  useLayoutEffect(() => {
    const place = box.current!
    const text = place.firstElementChild as HTMLElement
    const size = () => {
      let [low, high] = [SIZES.least, SIZES.most]
      while (low < high) {
        const middle = Math.ceil((low + high) / 2)
        text.style.fontSize = `${middle}px`
        if (place.scrollHeight <= place.clientHeight && place.scrollWidth <= place.clientWidth) low = middle
        else high = middle - 1
      }
      text.style.fontSize = `${low}px`
    }
    size()
    const seen = new ResizeObserver(size)
    seen.observe(place)
    return () => seen.disconnect()
  }, [line.text, line.notes, line.sayings])
  const progress = word === null ? undefined : { word, again: [], left_out: [] }
  return (
    <div className="second-words" ref={box}>
      <p data-testid="second-line">
        <small>{line.number}</small> {line.text ? <Words line={line} progress={progress} /> : 'No words yet.'}
        {line.notes && <em className="second-notes">{line.notes}</em>}
      </p>
    </div>
  )
}

/** How much of the line's time is left: a bar that empties. */
function Left({ line, screen, at }: { line: Line; screen: Screen; at: number }) {
  const bar = useRef<HTMLDivElement>(null)
  const length = (roomOf(line) ?? 0) / SAMPLE_RATE
  useEffect(() => {
    const began = performance.now() - (Date.now() - at) - screen.seconds * 1000
    let asked = 0
    const draw = () => {
      const left = length ? 1 - (performance.now() - began) / 1000 / length : 0
      bar.current?.style.setProperty('--left', String(Math.max(0, left)))
      asked = requestAnimationFrame(draw)
    }
    draw()
    return () => cancelAnimationFrame(asked)
  }, [length, screen.seconds, at])
  return <div ref={bar} className="second-left" hidden={!length} aria-hidden="true" />
}

/** A screen that only shows must not go dark by itself. */
function useAwake() {
  useEffect(() => {
    let lock: WakeLockSentinel | undefined
    let off = false
    const hold = async () => {
      if (document.visibilityState !== 'visible') return
      // Some browsers have none, and a weak battery refuses it: then the screen does what it always does.
      const got = await navigator.wakeLock?.request('screen').catch(() => undefined)
      if (off) void got?.release()
      else lock = got
    }
    void hold()
    document.addEventListener('visibilitychange', hold)
    return () => {
      off = true
      document.removeEventListener('visibilitychange', hold)
      void lock?.release()
    }
  }, [])
}
