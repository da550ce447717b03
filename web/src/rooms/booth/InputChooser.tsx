import { Select } from '@mantine/core'
import { useEffect, useRef, useState } from 'react'
import type { Production } from '../../api/client'
import { useSettings } from '../../api/production'
import { useEngine, useWatched } from '../../app/engine'
import { sayProblem } from '../../app/messages'
import { type InputChoice, isBuiltIn, listInputs, SIMULATED, SIMULATED_LOOP } from '../../engine/inputs'

const FAULTS = ['none', 'late', 'early', 'long', 'loud', 'word left out', 'false start', 'silent', 'reads on']

const ASKED = 'fendo-built-in'

const DELAYS = [11, 40, 87, 160]

/** Where sound comes from, in sight: the input and its channel, remembered with the production. */
export function InputChooser({ production }: { production: Production }) {
  const engine = useEngine()
  const { choice, channels, said } = useWatched(engine.input.chosen)
  const { kind } = useWatched(engine.recorder.state)
  const settings = useSettings(production.id)
  const [inputs, setInputs] = useState<InputChoice[]>([SIMULATED, SIMULATED_LOOP])
  const busy = !['ready', 'saved', 'failed'].includes(kind)

  useEffect(() => {
    const refresh = () => void listInputs().then(setInputs)
    refresh()
    navigator.mediaDevices?.addEventListener?.('devicechange', refresh)
    return () => navigator.mediaDevices?.removeEventListener?.('devicechange', refresh)
  }, [])

  const real = inputs.filter(({ device }) => !device.startsWith('simulated') && device !== 'default')
  const remembered = production.input
  useEffect(() => {
    if (engine.input.chosen.value.choice || !remembered.device) return
    const { device, label = '', channel = 0, fault, delay } = remembered
    void engine.input.choose({ device, label, channel, fault, delay })
  }, [engine, remembered])

  const choose = async (next: InputChoice) => {
    await engine.input.choose(next)
    const names = await listInputs()
    setInputs(names)
    const label = names.find((each) => each.device === next.device)?.label ?? next.label
    settings.mutate({ input: { ...next, label } }, { onError: sayProblem })
  }
  // Asked once a machine: who has answered knows what they do.
  const [asked, setAsked] = useState(() => localStorage.getItem(ASKED) === 'yes')
  const better = choice && isBuiltIn(choice.label) && real.find(({ label }) => !isBuiltIn(label))
  const stay = () => {
    localStorage.setItem(ASKED, 'yes')
    setAsked(true)
  }
  const listed = choice && !inputs.some((input) => input.device === choice.device) ? [choice, ...inputs] : inputs
  return (
    <div className="input-chooser">
      <Select
        aria-label="microphone"
        placeholder="choose a microphone"
        size="xs"
        w={210}
        data={listed.map((input) => ({ value: input.device, label: input.label || 'microphone' }))}
        value={choice?.device ?? null}
        allowDeselect={false}
        disabled={busy}
        onChange={(device) => {
          const found = listed.find((input) => input.device === device)
          if (found) void choose({ ...found, channel: 0 })
        }}
      />
      {channels > 1 && choice && (
        <div className="input-channels" role="radiogroup" aria-label="input channel">
          {Array.from({ length: channels }, (_, channel) => (
            <Channel
              // biome-ignore lint/suspicious/noArrayIndexKey: a channel is its number
              key={channel}
              channel={channel}
              chosen={channel === choice.channel}
              disabled={busy}
              onChoose={() => void choose({ ...choice, channel })}
            />
          ))}
        </div>
      )}
      {choice?.device === SIMULATED.device && (
        <Select
          aria-label="what goes wrong with the simulated reader"
          size="xs"
          w={132}
          data={FAULTS.map((fault) => ({ value: fault, label: fault === 'none' ? 'reads well' : `fault: ${fault}` }))}
          value={choice.fault || 'none'}
          allowDeselect={false}
          disabled={busy}
          onChange={(fault) => fault && void choose({ ...choice, fault })}
        />
      )}
      {choice?.device === SIMULATED_LOOP.device && (
        <Select
          aria-label="delay of the simulated loop"
          size="xs"
          w={92}
          data={DELAYS.map((delay) => ({ value: String(delay), label: `${delay} ms` }))}
          value={String(choice.delay ?? SIMULATED_LOOP.delay)}
          allowDeselect={false}
          disabled={busy}
          onChange={(delay) => void choose({ ...choice, delay: Number(delay) })}
        />
      )}
      {better && choice && !asked && (
        <p className="input-said" role="status" data-testid="built-in">
          {choice.label} sits in the machine, and {better.label} is plugged in.{' '}
          <button type="button" onClick={() => void choose({ ...better, channel: 0 })}>
            Use that one
          </button>{' '}
          <button type="button" onClick={stay}>
            Keep this one
          </button>
        </p>
      )}
      {said && (
        <p className="input-said" role="alert">
          {said}
        </p>
      )}
    </div>
  )
}

type ChannelProps = { channel: number; chosen: boolean; disabled: boolean; onChoose: () => void }

/** What is left of a channel's level after a second of silence. */
const FALLS = 0.007

/** One channel of the input, with what comes from it now: whoever speaks sees which one is theirs. */
function Channel({ channel, chosen, disabled, onChoose }: ChannelProps) {
  const engine = useEngine()
  const bar = useRef<HTMLElement>(null)
  useEffect(() => {
    let [held, drawn] = [0, performance.now()]
    const draw = () => {
      if (!bar.current) return
      const now = performance.now()
      held = Math.max(engine.input.peakOf(channel), held * FALLS ** ((now - drawn) / 1000))
      drawn = now
      const share = Math.max(0, Math.min(1, 1 + (20 * Math.log10(Math.max(held, 1e-4))) / 60))
      bar.current.style.transform = `scaleX(${share.toFixed(2)})`
    }
    engine.onFrame.add(draw)
    return () => void engine.onFrame.delete(draw)
  }, [engine, channel])
  return (
    // biome-ignore lint/a11y/useSemanticElements: a level moves inside it
    <button
      type="button"
      role="radio"
      aria-checked={chosen}
      aria-label={`input ${channel + 1}`}
      disabled={disabled}
      onClick={onChoose}
    >
      {channel + 1}
      <span className="input-level">
        <i ref={bar} />
      </span>
    </button>
  )
}
