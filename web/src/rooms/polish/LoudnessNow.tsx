import { useEffect, useRef, useState } from 'react'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { decibelText } from '../../app/numbers'
import { LoudnessMeter } from '../../engine/loudness'

/** How loud what is playing is: the last 400 ms, the last 3 s, and all since the meter was begun. */
export function LoudnessNow() {
  const engine = useEngine()
  const meter = useRef(new LoudnessMeter())
  const [now, setNow] = useState(meter.current.now)
  useEffect(
    () =>
      engine.audio.hearLoudness((power) => {
        // What is not played is no programme.
        if (!engine.transport.state.value.playing) return
        meter.current.add(power)
        setNow(meter.current.now)
      }),
    [engine],
  )
  const begin = () => {
    meter.current = new LoudnessMeter()
    setNow(meter.current.now)
  }
  useKeys({ beginMeter: begin })
  const figure = (value: number | null) => (value === null ? '−' : decibelText(value))
  return (
    <div className="polish-now" data-testid="loudness-now">
      <dl>
        <dt>momentary</dt>
        <dd>{figure(now.momentary)}</dd>
        <dt>short-term</dt>
        <dd>{figure(now.shortTerm)}</dd>
        <dt>integrated</dt>
        <dd>{figure(now.integrated)}</dd>
      </dl>
      <p className="quiet">
        LUFS of what plays, {now.seconds ? `over ${now.seconds.toFixed(1)} s` : 'as soon as it does'}{' '}
        <Key action="beginMeter">begin anew</Key>
      </p>
    </div>
  )
}
