import { Button, TextInput } from '@mantine/core'
import { useMutation } from '@tanstack/react-query'
import { useEffect, useState } from 'react'
import { Link, useNavigate } from 'react-router'
import { answered, client, type ListedProduction } from '../../api/client'
import { useProductions } from '../../api/production'
import { Failed, Loading } from '../../app/Said'
import { Scheme } from '../../app/Scheme'
import { secondsText } from '../../engine/time'
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
  const [name, setName] = useState('')
  useEffect(() => {
    document.title = 'Fendo'
  }, [])
  const make = useMutation({
    mutationFn: () => answered(client.POST('/api/productions/', { body: { name } })),
    onSuccess: (made) => navigate(`/productions/${made.id}/picture`),
  })
  if (!data && error) return <Failed said={error.message} onRetry={() => void refetch()} />
  if (!data) return <Loading />
  return (
    <div className="productions">
      <header className="productions-top">
        <span className="productions-mark">Fendo</span>
        <Scheme />
      </header>
      <main>
        <h1>Productions</h1>
        <ul className="productions-list">
          {data.map((one) => (
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
            </li>
          ))}
        </ul>
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
      </main>
    </div>
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
