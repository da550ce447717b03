import { Button, FileButton, Modal, Select } from '@mantine/core'
import { useState } from 'react'
import { answered, asBytes, client, type Production } from '../../api/client'
import { useEdits } from '../../api/production'
import { rateOf } from '../../app/room'
import { sayProblem } from '../../app/Said'
import { frameAt, timecode } from '../../engine/time'

const ENDINGS = '.txt,.md,.markdown,.docx,.csv,.tsv,.tab,.srt,.vtt'
/** Lines of a preview that are drawn; a long script is looked at by its beginning. */
const SHOWN = 200
const PARTS = ['start', 'end', 'words'] as const

type Columns = Partial<Record<(typeof PARTS)[number], number>>

async function readScript(production: string, file: File, columns: Columns) {
  const params = { path: { production_id: production }, query: { name: file.name, ...columns } }
  const body = asBytes(await file.arrayBuffer())
  return answered(client.POST('/api/productions/{production_id}/script-file/', { params, ...body }))
}

type Read = Awaited<ReturnType<typeof readScript>>

/** Bring in a script from a file: what it would become is shown first, nothing is changed before that is accepted. */
export function BringIn({ production, prominent = false }: { production: Production; prominent?: boolean }) {
  const { edit } = useEdits(production.id)
  const [file, setFile] = useState<File | null>(null)
  const [read, setRead] = useState<Read | null>(null)
  const [busy, setBusy] = useState(false)
  const look = async (chosen: File, columns: Columns = {}) => {
    setBusy(true)
    try {
      setRead(await readScript(production.id, chosen, columns))
      setFile(chosen)
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
  const unplaced = read?.lines.filter((line) => !line.slot).length ?? 0
  const lay = Boolean(production.film) && !production.lines.length && read !== null && unplaced === read.lines.length
  const make = () =>
    read &&
    edit.mutate(
      { kind: 'bring_in_lines', lines: read.lines },
      {
        onError: sayProblem,
        onSuccess: () => {
          close()
          if (lay) edit.mutate({ kind: 'lay_slots', unset_only: true }, { onError: sayProblem })
        },
      },
    )
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
                {read.lines.length} {read.lines.length === 1 ? 'line' : 'lines'}
              </b>{' '}
              from {read.kind === 'Word document' ? 'a Word document' : `${article(read.kind)}${read.kind}`}
              {read.encoding && ` (${read.encoding})`}
              {unplaced < read.lines.length ? `, ${read.lines.length - unplaced} with a slot` : ', none with a time'}
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
                      const columns = Object.fromEntries(PARTS.map((name, n) => [name, read.columns[n] ?? -1]))
                      void look(file, { ...columns, [part]: Number(value) })
                    }}
                  />
                ))}
              </div>
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
                  <small className="tc">{line.slot ? place(production, line.slot[0]!) : '–'}</small>
                  <span>{line.text}</span>
                </li>
              ))}
            </ol>
            {read.lines.length > SHOWN && <p className="quiet">… and {read.lines.length - SHOWN} more</p>}
            <div className="dialog-row">
              <Button onClick={make} loading={edit.isPending} data-autofocus data-testid="make-lines">
                Make {read.lines.length === 1 ? 'this line' : `these ${read.lines.length} lines`}
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
  return kind === 'table' ? 'a ' : ''
}

function place(production: Production, sample: number): string {
  const rate = rateOf(production)
  return timecode(production.start_frame + frameAt(sample, rate), rate)
}
