import { Checkbox, MultiSelect, SegmentedControl, Select, TextInput } from '@mantine/core'
import type { Line, Order, Production } from '../../api/client'
import { decibelText } from '../../app/numbers'

type Part = Order['parts'][number]
type Known = { part: Part; name: string; says: string; pictured?: boolean }

const PARTS: Known[] = [
  { part: 'lines', name: 'Each line as a file', says: 'with its place in the header' },
  { part: 'voice', name: 'The whole voice', says: 'as long as the programme' },
  { part: 'readers', name: 'A voice for each reader', says: 'each in full length' },
  { part: 'folders', name: 'A voice for each folder', says: 'by where takes lie' },
  { part: 'film', name: 'The film with the voice', says: 'uncut picture untouched', pictured: true },
  { part: 'slides', name: 'Each slide as a film', says: 'with what is said to it', pictured: true },
  { part: 'mix', name: 'The mix', says: 'film and voice, stereo WAV', pictured: true },
  { part: 'bed', name: 'All but the voice', says: 'ducked as in the mix', pictured: true },
  { part: 'subtitles', name: 'Subtitles', says: 'timed by what was said' },
  { part: 'timeline', name: 'Timelines', says: 'OTIO and EDL' },
  { part: 'script', name: 'The script', says: 'a table and plain text' },
  { part: 'takes', name: 'Every take', says: 'and the production’s record' },
  { part: 'sources', name: 'What was brought in', says: 'films, slides, sounds' },
]

const WHICH: { value: Order['which']; label: string }[] = [
  { value: 'all', label: 'all lines that were read' },
  { value: 'picked', label: 'picked lines only' },
  { value: 'changed', label: 'what has changed since the last time' },
  { value: 'marked', label: 'lines whose take is marked …' },
  { value: 'shots', label: 'lines of the shots …' },
  { value: 'folder', label: 'lines whose take lies in …' },
  { value: 'reader', label: 'lines read by …' },
  { value: 'chosen', label: 'lines that I tick' },
]

/** Loudness that is asked for, LUFS: web video, speech, broadcast. */
const LEVELS = [-14, -16, -18, -19, -23, -24]

/** What a name may speak of, as an example reads. */
const FIELDS = ['production', 'line', 'words', 'take', 'reader', 'folder', 'date', 'shot', 'slide', 'count']

type Props = {
  production: Production
  forms: { key: Order['form']; name: string }[]
  order: Order
  line: Line | undefined
  onChange: (order: Order) => void
}

/** What is to leave, how it is written, how it is called. */
export function OrderForm({ production, forms, order, line, onChange }: Props) {
  const set = (changed: Partial<Order>) => onChange({ ...order, ...changed })
  const pictured = production.picture.clips.length > 0
  const has = (part: Part) => order.parts.includes(part)
  const toggle = (part: Part) =>
    set({ parts: PARTS.map((each) => each.part).filter((each) => (each === part) !== has(each)) })
  const here = production.speech_level
  const voiced = order.parts.some((part) => ['lines', 'voice', 'readers', 'folders'].includes(part))
  const whole = order.parts.some((part) => ['voice', 'readers', 'folders'].includes(part))
  const choose = (which: Order['which']) => {
    const starts = {
      marked: ['keep'],
      shots: shotsWithLines(production)
        .slice(0, 1)
        .map(({ value }) => value),
      folder: firstFolder(production),
      reader: [production.reader],
      chosen: line?.voice ? [line.id] : [],
    }
    set({ which, of: which in starts ? starts[which as keyof typeof starts] : [] })
  }
  return (
    <>
      <fieldset className="handover-parts">
        <legend className="visually-hidden">what leaves</legend>
        {PARTS.map(({ part, name, says, pictured: needs }) => (
          <Checkbox
            key={part}
            label={name}
            description={says}
            checked={has(part)}
            disabled={needs && !pictured && !has(part)}
            onChange={() => toggle(part)}
          />
        ))}
      </fieldset>
      <div className="handover-how">
        <Select
          label="Lines"
          value={order.which}
          data={WHICH}
          allowDeselect={false}
          onChange={(value) => choose(value as Order['which'])}
        />
        {order.which === 'marked' && (
          <MultiSelect
            label="Marks"
            value={order.of}
            data={['keep', 'maybe', 'no', 'scratch']}
            onChange={(of) => set({ of })}
          />
        )}
        {order.which === 'shots' && (
          <MultiSelect
            label="Shots"
            value={order.of}
            data={shotsWithLines(production)}
            searchable
            limit={100}
            onChange={(of) => set({ of })}
          />
        )}
        {order.which === 'folder' && (
          <MultiSelect
            label="Folders"
            value={order.of}
            data={production.folders.map(({ path }) => path)}
            onChange={(of) => set({ of })}
          />
        )}
        {order.which === 'reader' && (
          <MultiSelect
            label="Readers"
            value={order.of}
            data={production.readers.map(({ id, name }) => ({ value: id, label: name }))}
            onChange={(of) => set({ of })}
          />
        )}
        <Choice
          name="The voice"
          disabled={!voiced}
          value={order.sound}
          data={[
            { value: 'treated', label: 'as it sounds' },
            { value: 'recorded', label: 'as recorded' },
          ]}
          onChange={(sound) => set({ sound })}
        />
        <Select
          label="Speech at"
          disabled={here === null || order.sound === 'recorded'}
          value={order.level === here ? 'own' : String(order.level ?? 'own')}
          data={[
            {
              value: 'own',
              label: here === null ? 'as recorded' : `${decibelText(here, 0)} LUFS, as here`,
            },
            ...LEVELS.filter((level) => level !== here).map((level) => ({
              value: String(level),
              label: `${decibelText(level, 0)} LUFS`,
            })),
          ]}
          allowDeselect={false}
          onChange={(level) => set({ level: level === 'own' ? null : Number(level) })}
        />
        <Choice
          name="Each file holds"
          disabled={!has('lines')}
          value={order.edges}
          data={[
            { value: 'voice', label: 'the reading' },
            { value: 'handles', label: 'with handles' },
            { value: 'slot', label: 'its slot' },
          ]}
          onChange={(edges) => set({ edges })}
        />
        <Choice
          name="Between lines"
          disabled={!whole}
          value={order.between ?? 'silence'}
          data={[
            { value: 'silence', label: 'silence' },
            { value: 'room tone', label: 'room tone' },
          ]}
          onChange={(between) => set({ between })}
        />
        <Select
          label="Written as"
          disabled={!voiced}
          value={order.form}
          data={forms.map(({ key, name }) => ({ value: key, label: name }))}
          allowDeselect={false}
          onChange={(form) => set({ form: form as Order['form'] })}
        />
        <Choice
          name="Channels"
          disabled={!voiced}
          value={String(order.channels) as '1' | '2'}
          data={[
            { value: '1', label: 'mono' },
            { value: '2', label: 'dual mono' },
          ]}
          onChange={(channels) => set({ channels: Number(channels) })}
        />
        <Choice
          name="Films as"
          disabled={!has('film') && !has('slides')}
          value={order.film ?? 'mp4'}
          data={[
            { value: 'mp4', label: 'MP4' },
            { value: 'webm', label: 'WebM' },
          ]}
          onChange={(film) => set({ film })}
        />
      </div>
      <div className="handover-names">
        <TextInput
          label="Names of the lines"
          disabled={!has('lines')}
          value={order.names}
          onChange={(event) => set({ names: event.currentTarget.value })}
        />
        <div className="handover-fields">
          {FIELDS.map((field) => (
            <button
              key={field}
              type="button"
              disabled={!has('lines')}
              onClick={() => set({ names: `${order.names} {${field}}`.trimStart() })}
            >
              {field}
            </button>
          ))}
        </div>
      </div>
    </>
  )
}

/** The shots in which a line begins, by number and name. */
function shotsWithLines({ lines, picture: { shots, shot_names: names } }: Production) {
  const starts = lines.flatMap(({ slot, voice }) => slot?.[0] ?? voice?.span[0] ?? [])
  return shots.flatMap(([from, to], n) =>
    starts.some((at) => from! <= at && at < to!)
      ? [{ value: String(n + 1), label: names[n] ? `${n + 1} ${names[n]}` : `shot ${n + 1}` }]
      : [],
  )
}

function firstFolder({ folders, landing }: Production): string[] {
  const found = folders.find(({ id }) => id === landing) ?? folders[0]
  return found ? [found.path] : []
}

type ChoiceProps<T extends string> = {
  name: string
  disabled: boolean
  value: T
  data: { value: T; label: string }[]
  onChange: (value: T) => void
}

function Choice<T extends string>({ name, disabled, value, data, onChange }: ChoiceProps<T>) {
  return (
    <div className="handover-choice">
      <span aria-hidden="true">{name}</span>
      <SegmentedControl
        aria-label={name}
        size="sm"
        fullWidth
        disabled={disabled}
        value={value}
        data={data}
        onChange={(chosen) => onChange(chosen as T)}
      />
    </div>
  )
}
