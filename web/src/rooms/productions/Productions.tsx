import { Button, FileButton, Menu, Modal, TextInput } from '@mantine/core'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { answered, client, type ListedProduction } from '../../api/client'
import { useProductions } from '../../api/production'
import { Failed, Loading, sayProblem } from '../../app/messages'
import { Scheme } from '../../app/Scheme'
import { SendingList } from '../../app/SendingList'
import { ARCHIVES, send } from '../../app/sending'
import { secondsText } from '../../engine/time'
import { History } from './History'
import './productions.css'

function progressText(one: ListedProduction): string {
  if (!one.lines) return one.still ? 'a picture, no words yet' : 'empty: bring in a picture or type the words'
  const parts = [`${one.lines} lines`, `${one.recorded} read`, `${one.picked} picked`]
  return parts.join(' · ')
}

/** All productions: how far each is, make one, open one. */
export function Component() {
  const { data, error, refetch } = useProductions()
  const navigate = useNavigate()
  const queries = useQueryClient()
  const [name, setName] = useState('')
  useEffect(() => {
    document.title = 'Fendo'
  }, [])
  const make = useMutation({
    mutationFn: () => answered(client.POST('/api/productions/', { body: { name } })),
    onSuccess: (made) => navigate(`/productions/${made.id}/picture`),
  })
  const [wanted, setWanted] = useState('')
  const fits = (one: ListedProduction) => one.name.toLocaleLowerCase().includes(wanted.trim().toLocaleLowerCase())
  if (!data && error) return <Failed said={error.message} onRetry={() => void refetch()} />
  if (!data) return <Loading />
  const binned = data.filter((one) => one.binned)
  return (
    <div className="productions">
      <header className="productions-top">
        <span className="productions-mark">Fendo</span>
        <Scheme />
      </header>
      <main>
        <h1>Productions</h1>
        {data.length > FEW && (
          <TextInput
            className="productions-find"
            aria-label="find a production"
            placeholder="find a production"
            value={wanted}
            onChange={(event) => setWanted(event.currentTarget.value)}
          />
        )}
        <List found={data.filter((one) => !one.binned && fits(one))} />
        {!data.length && (
          <p className="quiet">Nothing here yet. Name your first production below: a film, a lesson, a spot.</p>
        )}
        <form
          className="productions-new"
          onSubmit={(event) => {
            event.preventDefault()
            make.mutate()
          }}
        >
          <TextInput
            label="New production"
            placeholder="its name"
            value={name}
            maxLength={120}
            onChange={(event) => setName(event.currentTarget.value)}
            error={make.error?.message}
          />
          <Button type="submit" disabled={!name.trim()} loading={make.isPending}>
            Make it
          </Button>
        </form>
        <section className="productions-archive">
          <FileButton onChange={(file) => file && send(queries, ARCHIVES, [file], { archive: true })} accept=".zip">
            {(open) => (
              <Button variant="default" {...open}>
                Open an archive
              </Button>
            )}
          </FileButton>
          <p className="quiet">
            A zip of what Handover wrote as “Archive”. Takes, picks, script and picture come back as they were.
          </p>
          <SendingList production={ARCHIVES} />
        </section>
        {binned.length > 0 && (
          <details className="productions-bin">
            <summary>
              In the bin: {binned.length} {binned.length === 1 ? 'production' : 'productions'}
            </summary>
            <p className="quiet">Nothing in here is deleted; any of it can be brought back.</p>
            <List found={binned} />
          </details>
        )}
      </main>
    </div>
  )
}

const FEW = 6

/** Productions in a list, each with what can be done with it. */
function List({ found }: { found: ListedProduction[] }) {
  const queries = useQueryClient()
  const [renamed, setRenamed] = useState<ListedProduction | null>(null)
  const [looked, setLooked] = useState<ListedProduction | null>(null)
  const change = useMutation({
    mutationFn: ({ id, ...body }: { id: string; name?: string; binned?: boolean }) =>
      answered(client.PATCH('/api/productions/{production_id}/', { params: { path: { production_id: id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['productions'] }),
    onError: sayProblem,
  })
  return (
    <>
      <ul className="productions-list">
        {found.map((one) => (
          <li key={one.id}>
            <Link to={`/productions/${one.id}/${one.lines ? 'booth' : one.still ? 'script' : 'picture'}`}>
              <span className="productions-still">
                {one.still ? (
                  <img src={`/api/sources/${one.still}/strip/`} alt="" style={{ left: -132 * one.still_column }} />
                ) : (
                  'no picture'
                )}
              </span>
              <span>
                <span className="productions-name">{one.name}</span>
                <span className="quiet">
                  {progressText(one)}
                  {one.length ? ` · ${minutes(one.length)}` : ''}
                </span>
                <Progress one={one} />
              </span>
              <span className="quiet">{new Date(one.changed).toLocaleDateString()}</span>
            </Link>
            <Menu position="bottom-end" width={260}>
              <Menu.Target>
                <button type="button" className="productions-more" aria-label={`more of ${one.name}`}>
                  ⋯
                </button>
              </Menu.Target>
              <Menu.Dropdown>
                <Menu.Item onClick={() => setRenamed(one)}>Rename</Menu.Item>
                <Menu.Item onClick={() => setLooked(one)}>What was done</Menu.Item>
                <Menu.Item onClick={() => change.mutate({ id: one.id, binned: !one.binned })}>
                  {one.binned ? 'Bring back' : 'Put in the bin'}
                </Menu.Item>
                <Menu.Label>on disk: media/{one.directory}</Menu.Label>
              </Menu.Dropdown>
            </Menu>
          </li>
        ))}
      </ul>
      <History of={looked} onClose={() => setLooked(null)} />
      <Modal opened={Boolean(renamed)} onClose={() => setRenamed(null)} title="Another name">
        <form
          onSubmit={(event) => {
            event.preventDefault()
            const name = new FormData(event.currentTarget).get('name')?.toString().trim()
            if (renamed && name) change.mutate({ id: renamed.id, name })
            setRenamed(null)
          }}
        >
          <TextInput name="name" label="Name" defaultValue={renamed?.name} maxLength={120} data-autofocus />
          <p className="quiet">Its folder on disk keeps its name, and so do files that were recorded.</p>
          <div className="dialog-row">
            <Button type="submit">Rename</Button>
          </div>
        </form>
      </Modal>
    </>
  )
}

function minutes(samples: number): string {
  const seconds = Math.round(Number(secondsText(samples, 0)))
  return seconds < 90 ? `${seconds} s` : `${Math.round(seconds / 60)} min`
}

/** Read and picked lines as two thicknesses of one line. */
function Progress({ one }: { one: ListedProduction }) {
  const share = (count: number) => ({ width: `${one.lines ? (100 * count) / one.lines : 0}%` })
  return (
    <span className="productions-progress" aria-hidden="true">
      <i style={share(one.recorded)} />
      <b style={share(one.picked)} />
    </span>
  )
}
