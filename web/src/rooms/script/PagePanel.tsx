import { Button, Checkbox, SegmentedControl, Select, Slider, TextInput } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, client, type Production } from '../../api/client'
import { refetchProduction, useEdits, useSettings } from '../../api/production'
import { Key } from '../../app/Key'
import { sayProblem } from '../../app/messages'
import { MEASURES, SIZES, usePageSettings } from '../../page/settings'

/** How the page is set, who reads, and how words are said. */
export function PagePanel({ production }: { production: Production }) {
  const { size, measure, picture, notes, set } = usePageSettings()
  return (
    <div className="panel">
      <section className="panel-part first">
        <h3>Page</h3>
        <div className="panel-slider">
          <span>
            words <Key action="smaller" /> <Key action="larger" />
          </span>
          <Slider
            min={SIZES.least}
            max={SIZES.most}
            value={size}
            label={(value) => `${value} points`}
            onChange={(value) => set({ size: value })}
            thumbLabel="size of the words"
          />
          <span>row</span>
          <Slider
            min={MEASURES.least}
            max={MEASURES.most}
            value={measure}
            label={(value) => `${value} letters`}
            onChange={(value) => set({ measure: value })}
            thumbLabel="letters in a row"
          />
          <span>picture</span>
          <SegmentedControl
            size="xs"
            data={[
              { value: 'beside', label: 'beside the page' },
              { value: 'above', label: 'above it' },
            ]}
            value={picture}
            onChange={(value) => set({ picture: value as 'beside' | 'above' })}
          />
        </div>
        <Checkbox
          size="xs"
          label="show notes on the page"
          checked={notes}
          onChange={(event) => set({ notes: event.currentTarget.checked })}
        />
        <Button
          size="compact-sm"
          variant="default"
          component="a"
          href={`/productions/${production.id}/print`}
          target="_blank"
        >
          Print, or keep as PDF
        </Button>
      </section>
      <Sayings production={production} />
      <Readers production={production} />
    </div>
  )
}

/** How words of this production are said; shown where they stand. */
function Sayings({ production }: { production: Production }) {
  const { edit } = useEdits(production.id)
  const [word, setWord] = useState('')
  const [said, setSaid] = useState('')
  const say = { onError: sayProblem }
  return (
    <section className="panel-part">
      <h3>Said like this</h3>
      {!production.sayings.length && (
        <p className="quiet">Names and foreign words, written as they sound. They stand above the word on the page.</p>
      )}
      <ul className="sayings">
        {production.sayings.map((each) => (
          <li key={each.word}>
            <b>{each.word}</b>
            <span>{each.said}</span>
            <Button
              size="compact-xs"
              variant="subtle"
              color="gray"
              aria-label={`take ${each.word} off the list`}
              onClick={() => edit.mutate({ kind: 'set_saying', word: each.word, said: '' }, say)}
            >
              take off
            </Button>
          </li>
        ))}
      </ul>
      <form
        className="panel-row"
        onSubmit={(event) => {
          event.preventDefault()
          edit.mutate(
            { kind: 'set_saying', word, said },
            {
              onError: sayProblem,
              onSuccess: () => {
                setWord('')
                setSaid('')
              },
            },
          )
        }}
      >
        <TextInput
          size="xs"
          w={110}
          aria-label="word"
          placeholder="word"
          value={word}
          onChange={(event) => setWord(event.currentTarget.value)}
        />
        <TextInput
          size="xs"
          w={130}
          aria-label="how it is said"
          placeholder="how it is said"
          value={said}
          onChange={(event) => setSaid(event.currentTarget.value)}
        />
        <Button size="compact-sm" variant="default" type="submit" disabled={!word.trim() || !said.trim()}>
          Keep
        </Button>
      </form>
    </section>
  )
}

/** Who reads: the production's reader, others, and whose lines the page shows. */
function Readers({ production }: { production: Production }) {
  const settings = useSettings(production.id)
  const queries = useQueryClient()
  const { reader, set } = usePageSettings()
  const [name, setName] = useState('')
  const add = async () => {
    try {
      const path = { production_id: production.id }
      await answered(client.POST('/api/productions/{production_id}/readers/', { params: { path }, body: { name } }))
      await refetchProduction(queries, production.id)
      setName('')
    } catch (error) {
      sayProblem(error as Error)
    }
  }
  const several = production.readers.length > 1
  return (
    <section className="panel-part">
      <h3>Readers</h3>
      <ul className="sayings">
        {production.readers.map((each) => (
          <li key={each.id}>
            <b>{each.name}</b>
            <span>
              {each.takes
                ? `${each.pace.toFixed(1)} syllables a second, from ${each.takes} take${each.takes === 1 ? '' : 's'}`
                : 'no takes yet'}
            </span>
            {each.id === production.reader ? (
              several && <small>the production’s reader</small>
            ) : (
              <Button
                size="compact-xs"
                variant="subtle"
                color="gray"
                onClick={() => settings.mutate({ reader: each.id }, { onError: sayProblem })}
              >
                make the production’s
              </Button>
            )}
          </li>
        ))}
      </ul>
      {several && (
        <Select
          size="xs"
          label="the page shows the lines of"
          data={[
            { value: '', label: 'all readers' },
            ...production.readers.map((each) => ({ value: each.id, label: each.name })),
          ]}
          value={reader ?? ''}
          allowDeselect={false}
          onChange={(value) => set({ reader: value || null })}
        />
      )}
      <form
        className="panel-row"
        onSubmit={(event) => {
          event.preventDefault()
          void add()
        }}
      >
        <TextInput
          size="xs"
          aria-label="name of another reader"
          placeholder="another reader"
          value={name}
          onChange={(event) => setName(event.currentTarget.value)}
        />
        <Button size="compact-sm" variant="default" type="submit" disabled={!name.trim()}>
          Add
        </Button>
      </form>
    </section>
  )
}
