import { Button } from '@mantine/core'
import { useEffect } from 'react'
import { useParams } from 'react-router'
import type { Production } from '../../api/client'
import { useProduction } from '../../api/production'
import { Failed, Loading } from '../../app/messages'
import { otherReader, timecodeAt } from '../../app/room'
import { secondsText } from '../../engine/time'
import { Words } from '../../page/Words'
import './print.css'

/** The script on paper, or as a PDF by the browser's own printing: numbers, times, words, notes, how words are said. */
export function Component() {
  const { id = '' } = useParams()
  const { data, error, refetch } = useProduction(id)
  useEffect(() => {
    if (data) document.title = `${data.name} script`
  }, [data])
  if (error) return <Failed said={error.message} onRetry={() => void refetch()} />
  if (!data) return <Loading />
  return <Sheet production={data} />
}

function Sheet({ production }: { production: Production }) {
  const needed = production.lines.reduce((sum, line) => sum + line.needed, 0)
  return (
    <main className="print">
      <header>
        <h1>{production.name}</h1>
        <p>
          {production.lines.length} lines · {Math.round(needed / 48_000)} s of reading ·{' '}
          {production.readers.map((reader) => reader.name).join(', ')}
        </p>
        <Button className="print-button" onClick={() => window.print()}>
          Print, or keep as PDF
        </Button>
      </header>
      {production.sayings.length > 0 && (
        <p className="print-sayings">
          {production.sayings.map(({ word, said }) => (
            <span key={word}>
              <b>{word}</b> {said}
            </span>
          ))}
        </p>
      )}
      <table>
        <thead>
          <tr>
            <th scope="col">line</th>
            <th scope="col">in, length</th>
            <th scope="col">words</th>
          </tr>
        </thead>
        <tbody>
          {production.lines.map((line) => (
            <tr key={line.id}>
              <td className="print-number">{line.number}</td>
              <td className="print-time">
                {line.slot ? (
                  <>
                    {timecodeAt(production, line.slot[0]!)}
                    <br />
                    {secondsText(line.slot[1]! - line.slot[0]!)} s
                  </>
                ) : line.wild ? (
                  <>
                    wild
                    {line.wanted_length && (
                      <>
                        <br />
                        {secondsText(line.wanted_length)} s
                      </>
                    )}
                  </>
                ) : (
                  '–'
                )}
              </td>
              <td>
                <p className="print-words">
                  <Words line={line} />
                </p>
                {otherReader(production, line) && <p className="print-notes">read by {otherReader(production, line)}</p>}
                {line.notes && <p className="print-notes">{line.notes}</p>}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </main>
  )
}
