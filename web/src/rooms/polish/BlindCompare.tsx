import { Button, Modal, Select } from '@mantine/core'
import { useState } from 'react'
import type { Chain, Polish } from '../../api/client'

type Props = {
  polish: Polish
  /** The line has a treatment now. */
  treated: boolean
  /** Of the line that is heard. */
  number: string
  onHear: (of: string, beside: string) => void
  onUse: (chain: Chain | null) => void
  onClose: () => void
}

const SIDES = ['A', 'B'] as const

/** Two treatments of a line, as loud as one another, and which is which is told when one was preferred. */
export function BlindCompare({ polish, treated, number, onHear, onUse, onClose }: Props) {
  const chains = [...polish.kept.map((one) => one.chain), ...polish.starts]
  const ways = [
    { value: 'now', label: 'as it is now' },
    { value: 'read', label: 'as it was read' },
    ...chains.map(({ name }) => ({ value: `chain:${name}`, label: name })),
  ]
  // Untreated, the line is as it was read: then a ready-made treatment stands against that.
  const [chosen, setChosen] = useState<[string, string]>([treated ? 'now' : ways.at(-1)!.value, 'read'])
  const [swapped, setSwapped] = useState(() => Math.random() < 0.5)
  const [heard, setHeard] = useState<readonly string[]>([])
  const [told, setTold] = useState<'A' | 'B' | 'none' | null>(null)
  const behind = swapped ? ([chosen[1], chosen[0]] as const) : chosen
  const nameOf = (way: string) => ways.find(({ value }) => value === way)?.label ?? way
  const anew = (pair = chosen) => {
    setChosen(pair)
    setSwapped(Math.random() < 0.5)
    setHeard([])
    setTold(null)
  }
  const hear = (side: number) => {
    const way = behind[side]!
    onHear(way, behind[1 - side]!)
    setHeard((before) => (before.includes(SIDES[side]!) ? before : [...before, SIDES[side]!]))
  }
  const press = (event: React.KeyboardEvent) => {
    const side = SIDES.findIndex((name) => name.toLowerCase() === event.key.toLowerCase())
    if (side < 0 || event.target instanceof HTMLInputElement) return
    event.stopPropagation()
    hear(side)
  }
  const used = told === 'A' ? behind[0] : told === 'B' ? behind[1] : null
  const use = () => {
    onUse(used === 'read' ? null : (chains.find(({ name }) => `chain:${name}` === used) ?? null))
    onClose()
  }
  return (
    <Modal opened onClose={onClose} title={`Line ${number} in two treatments`} size="md">
      {/* biome-ignore lint/a11y/noStaticElementInteractions: keys for the buttons inside */}
      <div className="polish-blind" data-testid="blind" onKeyDown={press}>
        <div className="polish-blind-ways">
          {([0, 1] as const).map((n) => (
            <Select
              key={n}
              size="xs"
              label={n ? 'with' : 'compare'}
              data={ways.filter(({ value }) => value !== chosen[1 - n])}
              value={chosen[n]}
              allowDeselect={false}
              onChange={(way) => way && anew(n ? [chosen[0], way] : [way, chosen[1]])}
            />
          ))}
        </div>
        <p className="quiet">
          Both are equally loud (keys A and B hear them). Which one is A is told when you have chosen.
        </p>
        <div className="polish-hear">
          {SIDES.map((side, n) => (
            <Button key={side} variant="default" onClick={() => hear(n)} data-autofocus={n === 0 || undefined}>
              Hear {side}
            </Button>
          ))}
        </div>
        {told === null ? (
          <div className="polish-hear">
            {SIDES.map((side) => (
              <Button key={side} size="compact-sm" disabled={heard.length < 2} onClick={() => setTold(side)}>
                {side} is better
              </Button>
            ))}
            <Button size="compact-sm" variant="subtle" disabled={heard.length < 2} onClick={() => setTold('none')}>
              I hear no difference
            </Button>
          </div>
        ) : (
          <>
            <p role="status" data-testid="told">
              A was <b>{nameOf(behind[0])}</b>, B was <b>{nameOf(behind[1])}</b>.
            </p>
            <div className="polish-hear">
              {used !== null && used !== 'now' && (
                <Button size="compact-sm" onClick={use}>
                  Use “{nameOf(used)}”
                </Button>
              )}
              <Button size="compact-sm" variant="default" onClick={() => anew()}>
                Once more
              </Button>
            </div>
          </>
        )}
      </div>
    </Modal>
  )
}
