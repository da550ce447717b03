import { Button, SegmentedControl, Select, Slider, Switch } from '@mantine/core'
import { useState } from 'react'
import { answered, type Chain, client, type Line, type Polish, type Production, type StageKind } from '../../api/client'
import { Key } from '../../app/Key'
import { sayProblem } from '../../app/messages'
import { BlindCompare } from './BlindCompare'
import { KeptTreatments } from './KeptTreatments'
import { TreatmentDrawing } from './TreatmentDrawing'

type Which = 'all' | 'folder' | 'line'
type Stage = Chain['stages'][number]
type Props = {
  production: Production
  polish: Polish
  line: Line | undefined
  onSet: (scope: string, chain: Chain | null) => void
  onHear: (bare: boolean) => void
  /** Hear what a stage takes away of the line. */
  onAway: (kind: string) => void
  /** Hear the line in one treatment, as loud as in another. */
  onCompare: (of: string, beside: string) => void
}

/** How a voice is treated: for all lines, or for this one; the nearest wins. */
export function Treatment({ production, polish, line, onSet, onHear, onAway, onCompare }: Props) {
  const [which, setWhich] = useState<Which>('all')
  const folder = production.folders.find(({ path }) => path === line?.voice?.folder)
  const scopes = { all: 'production', folder: folder && `folder:${folder.id}`, line: line && `line:${line.id}` }
  const scope = scopes[which] ?? 'production'
  const nearest = scope !== 'production'
  const chainOf = (of: string | undefined) => polish.treatments.find((one) => one.scope === of)?.chain
  const own = chainOf(scopes.line)
  const ofFolder = chainOf(scopes.folder)
  const wider = which === 'line' && ofFolder ? 'as its folder' : 'as all lines'
  const chain = chainOf(scope)
  const set = (kind: string, change: (stage: Stage) => Stage) =>
    chain && onSet(scope, { ...chain, stages: chain.stages.map((stage) => (stage.kind === kind ? change(stage) : stage)) })
  const isMovable = (index: number) => polish.stages.some((one) => one.movable && one.kind === chain?.stages[index]?.kind)
  /** A stage and the one behind it change places. */
  const swap = (index: number) => {
    if (!chain) return
    const stages = [...chain.stages]
    stages.splice(index, 2, stages[index + 1]!, stages[index]!)
    onSet(scope, { ...chain, stages })
  }
  const [suggested, setSuggested] = useState<{ line: string; reasons: string[] } | null>(null)
  const reasons = chain?.name === 'Suggested' && suggested?.line === line?.id ? (suggested?.reasons ?? []) : []
  const [comparing, setComparing] = useState(false)
  const suggest = async () => {
    if (!line) return
    try {
      const params = { path: { line_id: line.id } }
      const found = await answered(client.GET('/api/lines/{line_id}/treatment/suggestion/', { params }))
      setSuggested({ line: line.id, reasons: found.reasons })
      onSet(scope, found.chain)
    } catch (error) {
      sayProblem(error)
    }
  }
  return (
    <aside className="polish-treatment" aria-label="treatment">
      <h2>Treatment</h2>
      <SegmentedControl
        fullWidth
        size="xs"
        value={nearest ? which : 'all'}
        onChange={(value) => setWhich(value as Which)}
        aria-label="which lines"
        data={[
          { value: 'all', label: 'all lines' },
          { value: 'folder', label: `folder${ofFolder ? ' (own)' : ''}`, disabled: !folder },
          { value: 'line', label: line ? `line ${line.number}${own ? ' (own)' : ''}` : 'this line', disabled: !line },
        ]}
      />
      {which === 'folder' && folder && <p className="quiet">What lies in {folder.path}.</p>}
      <Select
        size="xs"
        label="start from"
        placeholder={chain ? chain.name : nearest ? wider : 'as it was read'}
        value={null}
        onChange={(name) => {
          const start = [...polish.kept.map((one) => one.chain), ...polish.starts].find((one) => one.name === name)
          if (start) onSet(scope, start)
        }}
        data={[
          { group: 'your own', items: polish.kept.map((one) => one.chain.name) },
          { group: 'ready-made', items: polish.starts.map((one) => one.name) },
        ].filter(({ items }) => items.length)}
      />
      <Button
        size="compact-sm"
        variant="default"
        disabled={!line?.voice}
        onClick={() => void suggest()}
        data-testid="suggest"
      >
        Suggest from line {line?.number ?? ''}
      </Button>
      {reasons.length > 0 && (
        <ul className="polish-reasons" data-testid="reasons">
          {reasons.map((reason) => (
            <li key={reason}>{reason}</li>
          ))}
        </ul>
      )}
      <div className="polish-hear">
        <Button size="compact-sm" variant="default" disabled={!line?.voice} onClick={() => onHear(false)}>
          Hear the line
        </Button>
        <Button size="compact-sm" variant="default" disabled={!line?.voice} onClick={() => onHear(true)}>
          As it was read
        </Button>
        <Button size="compact-sm" variant="default" disabled={!line?.voice} onClick={() => setComparing(true)}>
          Compare blind
        </Button>
      </div>
      {comparing && line && (
        <BlindCompare
          polish={polish}
          treated={Boolean(own ?? ofFolder ?? chainOf('production'))}
          number={line.number}
          onHear={onCompare}
          onUse={(used) => onSet(scope, used)}
          onClose={() => setComparing(false)}
        />
      )}
      <p className="quiet polish-keys">
        <Key action="hearLine" /> <Key action="lineAsRead">the line now, as read</Key>
      </p>
      {line && chain && <TreatmentDrawing line={line} />}
      <KeptTreatments production={production} polish={polish} chain={chain} />
      {chain ? (
        <>
          <ol className="polish-stages">
            {chain.stages.map((stage, index) => {
              const kind = polish.stages.find((one) => one.kind === stage.kind)
              return kind ? (
                <OneStage
                  key={kind.kind}
                  kind={kind}
                  stage={stage}
                  onSet={(change) => set(kind.kind, change)}
                  onAway={line?.voice ? () => onAway(kind.kind) : undefined}
                  onEarlier={isMovable(index) && isMovable(index - 1) ? () => swap(index - 1) : undefined}
                  onLater={isMovable(index) && isMovable(index + 1) ? () => swap(index) : undefined}
                />
              ) : null
            })}
          </ol>
          <Button size="compact-xs" variant="default" onClick={() => onSet(scope, null)} data-testid="untreated">
            {nearest ? `${wider[0]!.toUpperCase()}${wider.slice(1)}` : 'No treatment'}
          </Button>
        </>
      ) : (
        <p className="quiet">
          {nearest
            ? `${which === 'line' ? 'This line' : 'This folder'} is treated ${wider}.`
            : 'The voice sounds as it was read. Choose where to start.'}
        </p>
      )}
      {which !== 'line' && own && line && <p className="quiet">Line {line.number} has a treatment of its own.</p>}
      {which === 'all' && ofFolder && !own && folder && <p className="quiet">{folder.path} has a treatment of its own.</p>}
    </aside>
  )
}

type StageProps = {
  kind: StageKind
  stage: Stage
  onSet: (change: (stage: Stage) => Stage) => void
  onAway: (() => void) | undefined
  onEarlier: (() => void) | undefined
  onLater: (() => void) | undefined
}

/** A stage: on or off, what it does, its numbers, and its place in the order. */
function OneStage({ kind, stage, onSet, onAway, onEarlier, onLater }: StageProps) {
  return (
    <li>
      {kind.movable && (
        <span className="polish-order">
          <button type="button" aria-label={`${kind.name} earlier`} disabled={!onEarlier} onClick={onEarlier}>
            ↑
          </button>
          <button type="button" aria-label={`${kind.name} later`} disabled={!onLater} onClick={onLater}>
            ↓
          </button>
        </span>
      )}
      <Switch
        size="xs"
        checked={stage.on}
        onChange={(event) => {
          const on = event.currentTarget.checked
          onSet((one) => ({ ...one, on }))
        }}
        label={kind.name}
        description={stage.on ? undefined : kind.help}
      />
      {stage.on && onAway && (
        <button type="button" className="link-button polish-away" onClick={onAway}>
          hear what it takes away
        </button>
      )}
      {stage.on &&
        kind.settings.map(({ name, low, high, unit }) => (
          <Dial
            key={name}
            name={name}
            unit={unit}
            low={low}
            high={high}
            value={stage.settings[name] ?? low}
            onSet={(value) => onSet((one) => ({ ...one, settings: { ...one.settings, [name]: value } }))}
          />
        ))}
    </li>
  )
}

type DialProps = {
  name: string
  unit: string
  low: number
  high: number
  value: number
  onSet: (value: number) => void
}

function Dial({ name, unit, low, high, value, onSet }: DialProps) {
  const [moved, setMoved] = useState<number | null>(null)
  const step = high - low > 20 ? 1 : 0.5
  const shown = moved ?? value
  return (
    <div className="polish-dial">
      <span className="quiet">{name}</span>
      <Slider
        size="xs"
        min={low}
        max={high}
        step={step}
        value={shown}
        label={null}
        thumbLabel={name}
        onChange={setMoved}
        onChangeEnd={(end) => {
          setMoved(null)
          if (end !== value) onSet(end)
        }}
      />
      <output>
        {String(shown).replace('-', '−')} {unit}
      </output>
    </div>
  )
}
