import { Button, Checkbox, FileButton, Modal, Select } from '@mantine/core'
import { useQueryClient } from '@tanstack/react-query'
import { useState } from 'react'
import { answered, asBytes, client, type Production } from '../../api/client'
import { learned, refetchProduction, useEdits, workIn } from '../../api/production'
import { sayProblem } from '../../app/messages'
import { timecodeAt } from '../../app/room'
import { LONGEST } from './LongLines'

const ENDINGS =
  '.txt,.md,.markdown,.docx,.odt,.pptx,.odp,.rtf,.pdf,.html,.htm,.mht,.eml,.epub,.csv,.tsv,.tab,.xlsx,.xls,.ods,.srt,.vtt,.ass,.ssa,.smi,.sub,.sbv,.ttml,.dfxp,.itt,.json,.fountain'
/** Lines of a preview that are drawn; a long script is looked at by its beginning. */
const SHOWN = 200
const PARTS = ['start', 'end', 'length', 'words', 'notes', 'reader'] as const

type Columns = Partial<Record<(typeof PARTS)[number] | 'longest', number>>
/** What was answered, by the keys of what was asked. */
type Choices = Record<string, string>

function asked(production: string, file: File, columns: Columns, choices: Choices) {
  const query = { name: file.name, ...columns, choices: JSON.stringify(choices) }
  return { path: { production_id: production }, query }
}

async function readScript(production: string, file: File, columns: Columns, choices: Choices) {
  const params = asked(production, file, columns, choices)
  const body = asBytes(await file.arrayBuffer())
  return answered(client.POST('/api/productions/{production_id}/script-file/', { params, ...body }))
}

async function bringIn(production: string, file: File, columns: Columns, choices: Choices) {
  const params = asked(production, file, columns, choices)
  const body = asBytes(await file.arrayBuffer())
  return answered(client.POST('/api/productions/{production_id}/script-lines/', { params, ...body }))
}

type Read = Awaited<ReturnType<typeof readScript>>

/** Bring in a script from a file: what it would become is shown first, nothing is changed before that is accepted. */
export function BringIn({ production, prominent = false }: { production: Production; prominent?: boolean }) {
  const { edit } = useEdits(production.id)
  const [file, setFile] = useState<File | null>(null)
  const [read, setRead] = useState<Read | null>(null)
  const [busy, setBusy] = useState(false)
  const [longest, setLongest] = useState<number | null>(null)
  const queries = useQueryClient()
  const [choices, setChoices] = useState<Choices>({})
  const look = async (chosen: File, columns: Columns = {}, most = longest, answers: Choices = {}) => {
    setBusy(true)
    try {
      setRead(await readScript(production.id, chosen, most ? { ...columns, longest: most } : columns, answers))
      setFile(chosen)
      setChoices(answers)
    } catch (error) {
      sayProblem(error as Error)
    } finally {
      setBusy(false)
    }
  }
  const close = () => {
    setRead(null)
    setFile(null)
  }
  const lay = production.picture.clips.length > 0 && !production.lines.length && read?.placed === 0
  const known = new Set(production.readers.map((reader) => reader.name.toLowerCase()))
  const strangers = read?.readers.filter((name) => !known.has(name.toLowerCase())) ?? []
  const columnsOf = (found: Read) =>
    found.header.length ? Object.fromEntries(PARTS.map((name, n) => [name, found.columns[n] ?? -1])) : {}
  /** Readers whom the file names and nobody knows yet come first, so that their lines find them. */
  const addReaders = async () => {
    const path = { production_id: production.id }
    for (const name of strangers)
      await answered(client.POST('/api/productions/{production_id}/readers/', { params: { path }, body: { name } }))
    if (strangers.length) await refetchProduction(queries, production.id)
  }
  const make = async () => {
    if (!read || !file) return
    setBusy(true)
    try {
      await addReaders()
      const since = learned(queries, production.id)
      const columns = longest ? { ...columnsOf(read), longest } : columnsOf(read)
      workIn(queries, production.id, await bringIn(production.id, file, columns, choices), since)
    } catch (error) {
      return sayProblem(error as Error)
    } finally {
      setBusy(false)
    }
    close()
    if (lay) edit.mutate({ kind: 'lay_slots', unset_only: true }, { onError: sayProblem })
  }
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: a file may be dropped on the button's surroundings
    <span
      className="bring-in"
      onDragOver={(event) => event.preventDefault()}
      onDrop={(event) => {
        event.preventDefault()
        const [dropped] = event.dataTransfer.files
        if (dropped) void look(dropped)
      }}
    >
      <FileButton accept={ENDINGS} onChange={(chosen) => chosen && void look(chosen)}>
        {(props) => (
          <Button {...props} size={prominent ? 'sm' : 'compact-sm'} variant="default" loading={busy && !read}>
            Bring in a file
          </Button>
        )}
      </FileButton>
      <Modal opened={read !== null} onClose={close} title={file?.name ?? ''} size="xl">
        {read && file && (
          <div className="bring-in-preview" data-testid="script-preview">
            <p>
              <b>
                {read.count} {read.count === 1 ? 'line' : 'lines'}
              </b>{' '}
              from {article(read.kind)}
              {read.kind}
              {read.encoding && ` (${read.encoding})`}
              {read.placed ? `, ${read.placed} with a slot` : ', none with a time'}
            </p>
            {read.header.length > 0 && (
              <div className="bring-in-columns">
                {PARTS.map((part, index) => (
                  <Select
                    key={part}
                    size="xs"
                    label={part}
                    data={[
                      ...(part === 'words' ? [] : [{ value: '-1', label: 'none' }]),
                      ...read.header.map((name, column) => ({
                        value: String(column),
                        label: name || `column ${column + 1}`,
                      })),
                    ]}
                    value={String(read.columns[index] ?? -1)}
                    allowDeselect={false}
                    onChange={(value) => {
                      void look(file, { ...columnsOf(read), [part]: Number(value) }, longest, choices)
                    }}
                  />
                ))}
              </div>
            )}
            {read.questions.length > 0 && (
              <div className="bring-in-questions">
                {read.questions.map(({ key, label, options, chosen }) => (
                  <Select
                    key={key}
                    size="xs"
                    label={label}
                    data={options}
                    value={chosen}
                    allowDeselect={false}
                    onChange={(value) => {
                      // Another sheet, or other marks between cells, has other columns.
                      const columns = ['sheet', 'separator'].includes(key) ? {} : columnsOf(read)
                      if (value) void look(file, columns, longest, { ...choices, [key]: value })
                    }}
                  />
                ))}
              </div>
            )}
            <Checkbox
              size="xs"
              label={`part what is longer than ${LONGEST} letters, where a reader would breathe`}
              checked={longest !== null}
              onChange={(event) => {
                const most = event.currentTarget.checked ? LONGEST : null
                setLongest(most)
                void look(file, columnsOf(read), most, choices)
              }}
            />
            {strangers.length > 0 && (
              <p className="quiet">
                {strangers.length === 1 ? 'A new reader comes' : 'New readers come'} with it: {strangers.join(', ')}.
              </p>
            )}
            {read.doubts.length > 0 && (
              <ul className="bring-in-doubts">
                {read.doubts.map((doubt) => (
                  <li key={doubt}>{doubt}</li>
                ))}
              </ul>
            )}
            <ol className="bring-in-lines">
              {read.lines.slice(0, SHOWN).map((line, index) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a preview never changes its order
                <li key={index}>
                  <small className="tc">{line.slot ? timecodeAt(production, line.slot[0]!) : '–'}</small>
                  <span>
                    {line.text}
                    {(line.notes || line.reader) && (
                      <small className="bring-in-more">{[line.reader, line.notes].filter(Boolean).join(': ')}</small>
                    )}
                  </span>
                </li>
              ))}
            </ol>
            {read.count > SHOWN && <p className="quiet">… and {read.count - SHOWN} more</p>}
            <div className="dialog-row">
              <Button onClick={() => void make()} loading={busy} data-autofocus data-testid="make-lines">
                Make {read.count === 1 ? 'this line' : `these ${read.count} lines`}
                {lay ? ' and lay them over the shots' : ''}
              </Button>
              <Button variant="default" onClick={close}>
                Leave it
              </Button>
            </div>
          </div>
        )}
      </Modal>
    </span>
  )
}

function article(kind: string): string {
  return ['table', 'spreadsheet', 'Word document', 'presentation', 'web page', 'PDF'].includes(kind)
    ? 'a '
    : kind.startsWith('OpenDocument') || kind === 'electronic book'
      ? 'an '
      : ''
}
