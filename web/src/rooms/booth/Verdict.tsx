import type { Line, Production, Take } from '../../api/client'
import { useEdits } from '../../api/production'
import { Cutting, useCutting } from '../../app/Cutting'
import { useEngine, useWatched } from '../../app/engine'
import { Key } from '../../app/Key'
import { useKeys } from '../../app/keys'
import { sayProblem } from '../../app/messages'
import { decibelText } from '../../app/numbers'
import { scoreOf } from '../../app/room'
import { SAMPLE_RATE } from '../../engine/time'

const RUN_UP = Math.round(0.4 * SAMPLE_RATE)

type Props = { production: Production; line: Line; take: Take; passed: boolean }

/** What is right and wrong with the take that was just read; it can be heard, or set aside, without leaving the Booth. */
export function Verdict({ production, line, take, passed }: Props) {
  const engine = useEngine()
  const { playing } = useWatched(engine.transport.state)
  const { edit } = useEdits(production.id)
  const hear = () => {
    if (engine.recorder.isBusy) return
    if (playing) return engine.transport.stop()
    if (!take.voice) return
    const { voice } = take
    const from = Math.max(0, Math.min(voice.span[0]!, line.slot?.[0] ?? voice.span[0]!) - RUN_UP)
    const { score, ducks, ducking } = scoreOf(engine, production, [voice], 'none')
    void engine.transport.play(from, {
      to: voice.span[1]! + RUN_UP / 2,
      score,
      ducks,
      ducking,
      follow: false,
      onEnd: () => engine.transport.seek(line.slot?.[0] ?? voice.span[0]!),
    })
  }
  const aside = () => edit.mutate({ kind: 'set_aside', take: take.id, aside: !take.aside }, { onError: sayProblem })
  const { job, cut } = useCutting(production.id, take.id)
  useKeys({ hearTake: hear, asideTake: aside, cutPass: cut })
  const { faults, remarks, peak } = take
  return (
    <p className="booth-verdict" data-testid="verdict">
      <b>take {take.number}</b>
      {take.aside && <span>set aside</span>}
      {faults.map((fault) => (
        <span key={fault} className="booth-fault">
          {fault}
        </span>
      ))}
      {remarks.map((remark) => (
        <span key={remark}>{remark}</span>
      ))}
      {take.marks.length > 0 && (
        <span>{take.marks.length === 1 ? 'one mistake marked' : `${take.marks.length} mistakes marked`}</span>
      )}
      {peak !== null && <span>peak {decibelText(peak)}</span>}
      {take.advice.map((advice) => (
        <span key={advice} className="booth-advice">
          {advice}
        </span>
      ))}
      {!job && (passed || !line.text) && (
        <Key action="cutPass">{line.text ? 'cut it into the lines that you read' : 'make lines of what you said'}</Key>
      )}
      {job && <Cutting production={production.id} job={job} />}
      <Key action="hearTake">hear it</Key> <Key action="asideTake">{take.aside ? 'bring it back' : 'set aside'}</Key>
    </p>
  )
}
