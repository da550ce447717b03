import { Button, Checkbox, Menu, NumberInput, SegmentedControl, Select } from '@mantine/core'
import { useDebouncedCallback } from '@mantine/hooks'
import { useState } from 'react'
import type { Production } from '../../api/client'
import { useEdits, useSettings } from '../../api/production'
import { Key } from '../../app/Key'
import { sayProblem } from '../../app/messages'
import { BringIn } from './BringIn'
import { LongLines } from './LongLines'
import { Paste } from './Paste'

const FORMS = [
  { form: 'srt', name: 'subtitles, SubRip (.srt)' },
  { form: 'vtt', name: 'subtitles, WebVTT (.vtt)' },
  { form: 'csv', name: 'table with timecodes, notes, readers (.csv)' },
  { form: 'txt', name: 'plain text (.txt)' },
] as const

function lasting(samples: number): string {
  const seconds = Math.round(samples / 48_000)
  return seconds < 60 ? `${seconds} s` : `${Math.floor(seconds / 60)} min ${seconds % 60} s`
}

/** The script as a whole: does it fit, at which pace; and what can be done with all of its lines. */
export function ScriptPanel({ production }: { production: Production }) {
  const needed = production.lines.reduce((sum, line) => sum + line.needed, 0)
  const slots = production.lines.reduce((sum, line) => sum + (line.slot ? line.slot[1]! - line.slot[0]! : 0), 0)
  const programme = production.picture.clips.length ? production.picture.length : production.wanted_length
  const over = production.lines.filter((line) => line.fit === 'over').length
  return (
    <div className="panel">
      <div>
        <b>
          The whole script needs {lasting(needed)}
          {programme ? ` of ${lasting(programme)}` : ''}
        </b>
        <p className="quiet">
          {slots ? `Its slots have ${lasting(slots)}. ` : ''}
          {over
            ? `${over === 1 ? 'One line does' : `${over} lines do`} not fit.`
            : slots
              ? 'Every line with a slot fits.'
              : ''}
        </p>
      </div>
      {!production.picture.clips.length && <WantedLength production={production} />}
      <Pace production={production} />
      <Slots production={production} />
      <Lines production={production} />
    </div>
  )
}

/** How long a programme without picture is to last: a spot of 30 s is 30 s. */
function WantedLength({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const [seconds, setSeconds] = useState<number | string>((production.wanted_length ?? 0) / 48_000 || '')
  const keep = useDebouncedCallback((value: number | string) => {
    const wanted_length = Number(value) >= 1 ? Math.round(Number(value) * 48_000) : null
    if (wanted_length !== production.wanted_length) settings.mutate({ wanted_length }, { onError: sayProblem })
  }, 500)
  return (
    <div className="panel-row">
      <span className="quiet">Without picture it is to last</span>
      <NumberInput
        aria-label="seconds that it is to last"
        size="xs"
        w={80}
        min={1}
        max={86_400}
        decimalScale={2}
        value={seconds}
        onChange={(value) => {
          setSeconds(value)
          keep(value)
        }}
      />
      <span className="quiet">s</span>
    </div>
  )
}

/** The pace that lengths are told by: a style to start from, then what the takes have taught. */
function Pace({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const { pace } = production
  const [own, setOwn] = useState<number | string>(pace.start)
  const say = { onError: sayProblem }
  const keep = useDebouncedCallback((wanted: number) => {
    if (wanted >= 1 && wanted !== pace.start) settings.mutate({ pace: wanted }, say)
  }, 500)
  const takes = `${pace.takes} take${pace.takes === 1 ? '' : 's'}`
  return (
    <section className="panel-part">
      <h3>Pace</h3>
      <p className="quiet">
        {pace.takes && pace.learns
          ? `${pace.used.toFixed(1)} syllables a second, learned from ${takes}.`
          : 'Syllables a second; learned from the takes, from the first one on.'}
      </p>
      <div className="panel-row">
        <SegmentedControl
          size="xs"
          aria-label="style of reading"
          data={pace.styles.map(({ name }) => name)}
          value={pace.style ?? ''}
          onChange={(style) => {
            const wanted = pace.styles.find(({ name }) => name === style)?.pace
            if (!wanted) return
            setOwn(wanted)
            settings.mutate({ pace: wanted }, say)
          }}
        />
        <NumberInput
          aria-label="syllables a second"
          title="syllables a second to start from"
          size="xs"
          w={52}
          hideControls
          min={1}
          max={12}
          step={0.1}
          decimalScale={1}
          value={own}
          onChange={(value) => {
            setOwn(value)
            keep(Number(value))
          }}
        />
        <Select
          size="xs"
          w={128}
          aria-label="language of the script"
          searchable
          data={production.languages.map(({ code, name }) => ({ value: code, label: name }))}
          value={pace.language}
          allowDeselect={false}
          onChange={(language) => language && settings.mutate({ language: language as never }, say)}
        />
      </div>
      {pace.takes > 0 && (
        <Checkbox
          size="xs"
          label="use what the takes have taught"
          checked={pace.learns}
          onChange={(event) => settings.mutate({ learns_pace: event.currentTarget.checked }, say)}
        />
      )}
    </section>
  )
}

function Slots({ production }: { production: Production }) {
  const { edit } = useEdits(production.id)
  const say = { onError: sayProblem }
  const unset = production.lines.filter((line) => line.fit === 'no slot').length
  return (
    <section className="panel-part">
      <h3>Slots</h3>
      <div className="panel-row">
        <Menu>
          <Menu.Target>
            <Button
              size="compact-sm"
              variant="default"
              disabled={!production.picture.clips.length && !production.wanted_length}
            >
              {production.picture.clips.length ? 'Lay over shots' : 'Lay over length'}
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            <Menu.Item disabled={!unset} onClick={() => edit.mutate({ kind: 'lay_slots', unset_only: true }, say)}>
              only the {unset} lines without one
            </Menu.Item>
            <Menu.Item onClick={() => edit.mutate({ kind: 'lay_slots', unset_only: false }, say)}>all lines anew</Menu.Item>
          </Menu.Dropdown>
        </Menu>
        <Button
          size="compact-sm"
          variant="default"
          disabled={!unset}
          title="lines without a slot over the holes between the others"
          onClick={() => edit.mutate({ kind: 'spread_slots' }, say)}
        >
          Spread {unset || ''}
        </Button>
        <Key action="spread" />
        <Button
          size="compact-sm"
          variant="default"
          disabled={!production.crossing.length}
          title="lines in the order of their slots, no slot into the next"
          onClick={() => edit.mutate({ kind: 'mend_slots' }, say)}
        >
          Mend {production.crossing.length || ''}
        </Button>
        <Key action="mend" />
      </div>
    </section>
  )
}

function Lines({ production }: { production: Production }) {
  const { edit } = useEdits(production.id)
  const [pasting, setPasting] = useState(false)
  return (
    <section className="panel-part">
      <h3>Lines</h3>
      <div className="panel-row">
        <Button size="compact-sm" variant="default" onClick={() => setPasting(!pasting)}>
          Paste more words
        </Button>
        <BringIn production={production} />
        <Menu>
          <Menu.Target>
            <Button size="compact-sm" variant="default">
              Words as a file
            </Button>
          </Menu.Target>
          <Menu.Dropdown>
            {FORMS.map(({ form, name }) => (
              <Menu.Item key={form} component="a" href={`/api/productions/${production.id}/script/${form}/`} download>
                {name}
              </Menu.Item>
            ))}
            <Menu.Item component="a" href={`/productions/${production.id}/print`} target="_blank">
              to print, with times
            </Menu.Item>
          </Menu.Dropdown>
        </Menu>
        <LongLines production={production} />
        <Button
          size="compact-sm"
          variant="default"
          title="lines that have takes keep their numbers: their files carry them"
          onClick={() => edit.mutate({ kind: 'renumber' }, { onError: sayProblem })}
        >
          Number anew
        </Button>
      </div>
      {pasting && <Paste production={production} onDone={() => setPasting(false)} />}
    </section>
  )
}
