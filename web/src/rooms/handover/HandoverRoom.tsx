import { Button, SegmentedControl } from '@mantine/core'
import { useDebouncedValue } from '@mantine/hooks'
import { useState } from 'react'
import { Link } from 'react-router'
import type { Finding, Order, Plan, Preset, Production } from '../../api/client'
import { isGoing, useHandingOver, useHandovers, useJobsOf, usePlan } from '../../api/production'
import { useEngine } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { Failed, Loading, sayProblem } from '../../app/messages'
import { useLines, useRoom, voicesOf } from '../../app/room'
import { useSelection } from '../../app/selection'
import { Handed } from './Handed'
import { OrderForm } from './OrderForm'
import { bytesText } from './text'
import { WillBeWritten } from './WillBeWritten'
import './handover.css'

const KINDS = ['hand over']
const PICTURED = ['film', 'slides', 'mix', 'bed']

/** Hand over: what will leave and under which names, what is open, what was written. */
export function Component() {
  const { production } = useRoom()
  const { data, error, refetch } = useHandovers(production.id)
  if (error && !data) return <Failed said={error.message} onRetry={() => void refetch()} />
  if (!data) return <Loading />
  return <Room production={production} presets={data.presets} handovers={data.handovers} forms={data.forms} />
}

type Known = NonNullable<ReturnType<typeof useHandovers>['data']>
type Props = { production: Production } & Pick<Known, 'presets' | 'handovers' | 'forms'>

/** An order without what there is no picture for. */
function fitted(order: Order, production: Production): Order {
  const { version: _, ...plain } = order as Order & { version?: number }
  if (production.picture.clips.length) return plain
  const parts = plain.parts.filter((part) => !PICTURED.includes(part))
  return { ...plain, parts: parts.length ? parts : ['lines'] }
}

function Room({ production, presets, handovers, forms }: Props) {
  const engine = useEngine()
  const { line } = useLines(production, engine)
  const [order, setOrder] = useState<Order>(() => fitted(handovers[0]?.order ?? presets[0]!.order, production))
  const [asked] = useDebouncedValue(order, 200)
  const { data: plan, error } = usePlan(production, asked)
  const { begin, keep, remove, refresh } = useHandingOver(production.id)
  // What a job wrote stands in the list.
  const own = useJobsOf(production.id, KINDS, () => void refresh())
  const [shows, setShows] = useState<'plan' | 'written'>('plan')
  const writing = own?.some(isGoing) ?? false
  const read = voicesOf(production).length
  const stops = error ? error.message : (plan?.stops ?? '')
  const ready = Boolean(plan) && !stops && asked === order
  const change = (changed: Order) => {
    setOrder(changed)
    setShows('plan')
  }
  const write = () => {
    if (!ready) return
    begin.mutate(order, { onSuccess: () => setShows('written'), onError: sayProblem })
  }
  useKeys({ write })
  return (
    <div className="handover">
      <section className="handover-order">
        <div className="handover-body">
          <Presets
            presets={presets}
            order={order}
            onChoose={(chosen) => change(fitted(chosen, production))}
            onRemove={(id) => remove.mutate(id, { onError: sayProblem })}
          />
          <OrderForm production={production} forms={forms} order={order} line={line} onChange={change} />
        </div>
        <div className="handover-write">
          <Button onClick={write} disabled={!ready} data-testid="write">
            {plan && !stops ? `Write ${filesText(plan)}` : 'Write'}
          </Button>
          <Key action="write" />
          {stops && shows !== 'plan' && <span role="alert">{stops}</span>}
          <span className="quiet">
            {plan && !stops && `about ${bytesText(plan.bytes)}, into the production’s folder Handover`}
          </span>
          <KeepPreset order={order} presets={presets} onKeep={(kept) => keep.mutate(kept, { onError: sayProblem })} />
        </div>
      </section>
      <aside className="handover-sheet">
        <SegmentedControl
          aria-label="what is shown"
          size="xs"
          value={shows}
          onChange={(value) => setShows(value as typeof shows)}
          data={[
            { value: 'plan', label: 'Will be written' },
            { value: 'written', label: `Handed over${handovers.length ? ` (${handovers.length})` : ''}` },
          ]}
        />
        {shows === 'plan' && <Findings findings={plan?.findings ?? []} refused={error?.message} />}
        {shows === 'plan' ? (
          !read ? (
            <p className="quiet">
              Nothing has been read yet. <Link to="../booth">Read in the Booth</Link>; each line will stand here.
            </p>
          ) : (
            plan && <WillBeWritten production={production} plan={plan} order={order} onChange={setOrder} />
          )
        ) : (
          <Handed production={production} jobs={own} handovers={handovers} />
        )}
        {writing && shows === 'plan' && (
          <p className="quiet" role="status">
            Writing. How far it is stands under <b>Handed over</b>.
          </p>
        )}
      </aside>
    </div>
  )
}

function filesText(plan: Plan): string {
  const count = plan.lines.filter(({ path }) => path).length + plan.files.length
  return `${count} files`
}

type PresetsProps = {
  presets: Preset[]
  order: Order
  onChoose: (order: Order) => void
  onRemove: (id: string) => void
}

/** What an order can begin with: who it is for. */
function Presets({ presets, order, onChoose, onRemove }: PresetsProps) {
  return (
    <fieldset className="handover-presets" aria-label="presets">
      <h1>Hand over for</h1>
      {presets.map(({ id, order: each }) => (
        <span key={id ?? each.name}>
          <button type="button" aria-pressed={each.name === order.name} onClick={() => onChoose(each)}>
            {each.name}
          </button>
          {id && each.name === order.name && (
            <button
              type="button"
              className="handover-remove"
              onClick={() => onRemove(id)}
              aria-label={`remove ${each.name}`}
            >
              ×
            </button>
          )}
        </span>
      ))}
    </fieldset>
  )
}

/** Keep the order under a name of one's own. */
function KeepPreset({ order, presets, onKeep }: { order: Order; presets: Preset[]; onKeep: (order: Order) => void }) {
  const [name, setName] = useState<string | null>(null)
  const ships = presets.some((preset) => !preset.id && preset.order.name === order.name)
  if (name === null)
    return (
      <Button variant="subtle" size="compact-sm" onClick={() => setName(ships ? '' : order.name)}>
        Keep as a preset
      </Button>
    )
  return (
    <form
      className="handover-keep"
      onSubmit={(event) => {
        event.preventDefault()
        if (name.trim()) onKeep({ ...order, name: name.trim() })
        setName(null)
      }}
    >
      <input
        aria-label="name of the preset"
        placeholder="name of the preset"
        value={name}
        maxLength={60}
        // biome-ignore lint/a11y/noAutofocus: somebody asked for it just now
        autoFocus
        onChange={(event) => setName(event.currentTarget.value)}
        onKeyDown={(event) => event.key === 'Escape' && setName(null)}
      />
      <Button size="compact-sm" type="submit" variant="default" disabled={!name.trim()}>
        Keep
      </Button>
    </form>
  )
}

const ROOM_NAMES: Record<string, string> = {
  picture: 'Picture',
  script: 'Script',
  booth: 'Booth',
  takes: 'Takes',
  polish: 'Polish',
}

/** What is open, each with a way there. */
function Findings({ findings, refused }: { findings: Finding[]; refused?: string | undefined }) {
  const choose = useSelection((now) => now.choose)
  if (refused) return <p role="alert">{refused}</p>
  if (!findings.length) return <p className="handover-fine">Nothing is open.</p>
  return (
    <ul className="handover-findings" data-testid="findings" aria-label="what is open">
      {findings.map(({ kind, says, room, lines, stops }) => (
        <li key={`${kind}${says}`} data-stops={stops}>
          {stops && <b>Stops: </b>}
          {says}{' '}
          {room && (
            <Link to={`../${room}`} onClick={() => lines[0] && choose(lines[0])}>
              {ROOM_NAMES[room]}
            </Link>
          )}
        </li>
      ))}
    </ul>
  )
}
