import type { Line, Production } from '../../api/client'
import { decibelText } from '../../app/numbers'

const CEILING = -1

type Props = { production: Production; chosen: string | undefined; onChoose: (line: Line) => void }

/** How loud each line is, what it is lifted by, and whether its peaks meet the ceiling then. */
export function Levels({ production, chosen, onChoose }: Props) {
  const read = production.lines.filter((line) => line.voice)
  const wanted = production.speech_level
  return (
    <>
      <p className="quiet polish-tally">
        {wanted === null
          ? 'Lines sound as loud as they were recorded.'
          : `Each line is brought to ${decibelText(wanted)} LUFS; the ceiling is ${decibelText(CEILING)} dBTP.`}
      </p>
      <table className="polish-levels" data-testid="levels">
        <thead>
          <tr>
            <th scope="col">line</th>
            <th scope="col">LUFS</th>
            <th scope="col">gain</th>
            <th scope="col">peak then</th>
          </tr>
        </thead>
        <tbody>
          {read.map((line) => {
            const { loudness, peak, gain } = line.voice!
            const then = peak === null ? null : peak + gain
            const over = then !== null && then > CEILING
            return (
              <tr key={line.id} aria-current={line.id === chosen}>
                <th scope="row">
                  <button type="button" onClick={() => onChoose(line)}>
                    {line.number}
                  </button>
                </th>
                <td>{loudness === null ? '…' : decibelText(loudness)}</td>
                <td>
                  {gain > 0 ? '+' : ''}
                  {decibelText(gain)}
                </td>
                <td className={over ? 'take-fault' : ''}>
                  {then === null ? '…' : decibelText(then)}
                  {over && ` held ${decibelText(then - CEILING)}`}
                </td>
              </tr>
            )
          })}
        </tbody>
      </table>
    </>
  )
}
