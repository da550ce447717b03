import { Button, Popover } from '@mantine/core'
import { useRef, useState } from 'react'
import { useEngine, useWatched } from '../../app/engine'

/** How well the place of takes is known, and the test that measures it. */
export function LoopTest({ busy }: { busy: boolean }) {
  const { input } = useEngine()
  const { choice } = useWatched(input.chosen)
  const loop = useWatched(input.loop)
  const [opened, setOpened] = useState(false)
  const [going, setGoing] = useState(false)
  const [said, setSaid] = useState('')
  const stop = useRef<AbortController | null>(null)
  if (!choice || choice.device === 'simulated') return null
  const close = () => {
    stop.current?.abort()
    setOpened(false)
    setSaid('')
  }
  const measure = async () => {
    const own = new AbortController()
    stop.current = own
    setGoing(true)
    setSaid('')
    try {
      await input.measureLoop(own.signal)
    } catch (error) {
      if (!own.signal.aborted) setSaid(error instanceof Error ? error.message : 'The test could not be done. Try again.')
    } finally {
      setGoing(false)
    }
  }
  const now = loop
    ? `sync ${loop.fresh ? 'measured' : 'from an earlier visit'}: ${milliseconds(loop.latency)} ms`
    : 'sync not measured'
  return (
    <Popover opened={opened} onChange={(open) => !open && close()} width={380} position="top-end" withArrow trapFocus>
      <Popover.Target>
        <Button
          size="compact-xs"
          variant={loop?.fresh ? 'subtle' : 'default'}
          color="gray"
          disabled={busy}
          onClick={() => (opened ? close() : setOpened(true))}
          data-testid="loop"
        >
          {now}
        </Button>
      </Popover.Target>
      <Popover.Dropdown>
        <div className="loop">
          <h3>How long sound is on its way</h3>
          {loop ? (
            <p>
              {milliseconds(loop.latency)} ms there and back, the same within {milliseconds(Math.max(1, loop.spread), 2)}{' '}
              ms.
              {loop.fresh
                ? ' Takes are placed by it.'
                : ' Measured on an earlier visit: takes may lie up to 9 ms off. Measure again to be exact.'}
            </p>
          ) : (
            <p>
              Takes are placed by the browser’s own figures, which may be 20 ms off. Measured once, they lie within a
              millisecond.
            </p>
          )}
          <p className="quiet">
            Hold one side of the headphones to the microphone, or use the loudspeaker. Five short chirps are played; that
            takes three seconds.
          </p>
          {said && (
            <p className="input-said" role="alert">
              {said}
            </p>
          )}
          <div className="loop-doors">
            <Button size="xs" onClick={() => void measure()} loading={going} data-testid="measure-loop">
              {loop ? 'Measure again' : 'Measure'}
            </Button>
            {going ? (
              <Button size="xs" variant="default" onClick={() => stop.current?.abort()}>
                Stop
              </Button>
            ) : (
              <Button size="xs" variant="default" onClick={close}>
                Close
              </Button>
            )}
          </div>
        </div>
      </Popover.Dropdown>
    </Popover>
  )
}

function milliseconds(samples: number, digits = 1): string {
  return (samples / 48).toFixed(digits)
}
