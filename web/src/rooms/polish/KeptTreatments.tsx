import { Button, FileButton, TextInput } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, asBytes, type Chain, client, type Polish, type Production } from '../../api/client'
import { sayNote, sayProblem } from '../../app/messages'

type Props = { production: Production; polish: Polish; chain: Chain | undefined }

/** Keep a treatment under a name of one's own, for all productions; put it away as a file, and bring one in. */
export function KeptTreatments({ production, polish, chain }: Props) {
  const queries = useQueryClient()
  const [name, setName] = useState<string | null>(null)
  const kept = polish.kept.find((one) => one.chain.name === chain?.name)
  const work = async (ask: () => Promise<unknown>, said: string) => {
    try {
      await ask()
      await queries.invalidateQueries({ queryKey: ['polish', production.id] })
      sayNote(said)
      setName(null)
    } catch (error) {
      sayProblem(error)
    }
  }
  const keep = (called: string) =>
    chain &&
    called &&
    work(
      () => answered(client.POST('/api/treatments/', { body: { ...chain, name: called } })),
      `“${called}” is kept: it can be chosen in every production.`,
    )
  const bringIn = (file: File | null) =>
    file &&
    work(
      async () => answered(client.POST('/api/treatments/file/', asBytes(await file.arrayBuffer()))),
      `The treatment in “${file.name}” is kept; choose it above.`,
    )
  const forget = (id: string, called: string) =>
    work(
      () => answered(client.DELETE('/api/treatments/{treatment_id}/', { params: { path: { treatment_id: id } } })),
      `“${called}” is kept no longer. Lines that are treated by it stay as they are.`,
    )
  if (name !== null)
    return (
      <form
        className="polish-keep"
        onSubmit={(event) => {
          event.preventDefault()
          void keep(name.trim())
        }}
      >
        <TextInput
          size="xs"
          label="keep it as"
          value={name}
          maxLength={60}
          autoFocus
          onChange={(event) => setName(event.currentTarget.value)}
          onKeyDown={(event) => event.key === 'Escape' && setName(null)}
        />
        <Button size="compact-sm" type="submit" disabled={!name.trim()}>
          Keep
        </Button>
        <Button size="compact-sm" variant="default" onClick={() => setName(null)}>
          Cancel
        </Button>
      </form>
    )
  return (
    <p className="polish-kept">
      {chain && (
        <button type="button" className="link-button" onClick={() => setName(chain.name)}>
          keep under a name
        </button>
      )}
      {kept && (
        <>
          <a className="link-button" href={`/api/treatments/${kept.id}/`} download>
            save as a file
          </a>
          <button type="button" className="link-button" onClick={() => void forget(kept.id, kept.chain.name)}>
            keep no longer
          </button>
        </>
      )}
      <FileButton accept=".json,application/json" onChange={(file) => void bringIn(file)}>
        {(props) => (
          <button type="button" className="link-button" {...props}>
            bring one in
          </button>
        )}
      </FileButton>
    </p>
  )
}
