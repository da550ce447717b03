import { Button, SegmentedControl, Select, Switch } from '@mantine/core'
import type { LaidSound, Production } from '../../api/client'
import { useSettings } from '../../api/production'
import { useEngine } from '../../app/engine'
import { sayProblem } from '../../app/messages'
import { NumberField } from '../../app/NumberField'
import { HEARD_WHILE_RECORDING, timecodeAt } from '../../app/room'
import { SAMPLE_RATE, secondsText } from '../../engine/time'
import { BED_MODES, loudnessOf } from './Reel'
import { useReel } from './useReel'

const CHANNELS = [
  { value: 'both', label: 'both channels' },
  { value: 'left', label: 'left alone' },
  { value: 'right', label: 'right alone' },
  { value: 'mix', label: 'both mixed' },
]
const SPEEDS = [
  { value: String(0.3 * SAMPLE_RATE), label: 'quickly' },
  { value: String(0.8 * SAMPLE_RATE), label: 'evenly' },
  { value: String(2 * SAMPLE_RATE), label: 'slowly' },
]

const LEVELS = [
  { value: '-14', label: '−14 LUFS: loud, web video' },
  { value: '-16', label: '−16 LUFS: web video, speech' },
  { value: '-23', label: '−23 LUFS: broadcast' },
  { value: 'recorded', label: 'as recorded' },
]

/** What sounds besides the voice: how it gives way, what is laid under the picture, and what is heard while recording. */
export function Sounds({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const set = (what: Parameters<typeof settings.mutate>[0]) => settings.mutate(what, { onError: sayProblem })
  const { laid } = production.picture
  return (
    <div className="picture-sounds">
      <div className="picture-two">
        <NumberField
          label="under the voice, LU"
          value={production.duck_distance}
          min={0}
          max={40}
          onSet={(distance) => set({ duck_distance: distance })}
        />
        <Select
          size="xs"
          label="and comes back"
          data={SPEEDS}
          allowDeselect={false}
          value={String(production.duck_rise)}
          onChange={(value) => value && set({ duck_rise: Number(value) })}
        />
      </div>
      <Select
        size="xs"
        label="level of speech"
        data={LEVELS}
        allowDeselect={false}
        value={production.speech_level === null ? 'recorded' : String(production.speech_level)}
        onChange={(value) => value && set({ speech_level: value === 'recorded' ? null : Number(value) })}
      />
      <div>
        <p className="quiet">heard in headphones while recording</p>
        <SegmentedControl
          size="xs"
          fullWidth
          aria-label="heard while recording"
          value={production.monitor}
          data={Object.entries(HEARD_WHILE_RECORDING).map(([value, label]) => ({ value, label }))}
          onChange={(value) => set({ monitor: value as Production['monitor'] })}
        />
      </div>
      {laid.length ? (
        <ul className="picture-list" aria-label="laid sounds">
          {laid.map((sound) => (
            <li key={sound.id}>
              <Laid production={production} sound={sound} />
            </li>
          ))}
        </ul>
      ) : (
        <p className="quiet">
          No sound is laid under the picture. Bring in music or an original, or lay the sound of a film under it: “use”, in
          Files.
        </p>
      )}
    </div>
  )
}

function Laid({ production, sound }: { production: Production; sound: LaidSound }) {
  const engine = useEngine()
  const { edit } = useReel(production)
  const source = production.picture.sources.find(({ id }) => id === sound.source)
  const set = (what: Partial<Pick<LaidSound, 'channel' | 'level' | 'bed' | 'original' | 'span'>>) =>
    edit({ kind: 'set_sound', sound: sound.id, ...what } as never)
  const [start, end] = sound.span as [number, number]
  const at = () => engine.transport.position()
  return (
    <div className="picture-laid">
      <p>
        <span className="picture-called">{source?.name}</span>{' '}
        <span className="quiet">
          <span className="tc">{timecodeAt(production, start)}</span>, {secondsText(end - start)} s{loudnessOf(source)}
        </span>
      </p>
      <div className="picture-acts">
        <Button size="compact-xs" variant="default" onClick={() => set({ span: [at(), at() + end - start] })}>
          lay it from here on
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          disabled={end - start < 9_600}
          onClick={() => set({ span: [at(), end] })}
        >
          begins here
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => set({ span: [start, at()] })}>
          ends here
        </Button>
        <Button size="compact-xs" variant="default" onClick={() => edit({ kind: 'drop_sound', sound: sound.id })}>
          take it away
        </Button>
      </div>
      <div className="picture-two">
        <Select
          size="xs"
          label="while somebody speaks"
          data={BED_MODES}
          allowDeselect={false}
          value={sound.bed}
          onChange={(value) => value && set({ bed: value as LaidSound['bed'] })}
        />
        <Select
          size="xs"
          label="channel"
          data={CHANNELS}
          allowDeselect={false}
          value={sound.channel}
          onChange={(value) => value && set({ channel: value as LaidSound['channel'] })}
        />
        <NumberField label="louder by, dB" value={sound.level} min={-40} max={24} onSet={(level) => set({ level })} />
        <Switch
          size="xs"
          mt={26}
          label="the original"
          checked={sound.original}
          onChange={(event) => set({ original: event.currentTarget.checked })}
        />
      </div>
    </div>
  )
}
