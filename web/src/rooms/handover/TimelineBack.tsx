import { Button, FileButton } from '@mantine/core'
import type { Production } from '../../api/client'
import { useTimelineBack } from '../../api/production'
import { Key } from '../../app/Key'
import { sayProblem } from '../../app/messages'
import { SAMPLE_RATE } from '../../engine/time'

/** A timeline with files that were handed over: readings move to where their files lie in it. */
export function TimelineBack({ production }: { production: Production }) {
  const back = useTimelineBack(production.id)
  const take = async (file: File | null) => {
    if (file) back.mutate(await file.arrayBuffer(), { onError: sayProblem })
  }
  const found = back.data
  return (
    <section className="handover-back" aria-labelledby="handover-back">
      <div className="handover-head">
        <span className="handover-file">
          <b id="handover-back">Moved in another program?</b>
          <small className="quiet">
            Bring its timeline back (OTIO, EDL): readings move to where their files lie in it.
          </small>
        </span>
        <FileButton onChange={(file) => void take(file)} accept=".otio,.edl" key={back.submittedAt}>
          {(props) => (
            <Button {...props} size="compact-sm" variant="default" loading={back.isPending}>
              Bring a timeline back
            </Button>
          )}
        </FileButton>
      </div>
      {found && (
        <div role="status" data-testid="returned">
          {found.moved.length ? (
            <>
              <p>
                {found.moved.length} {found.moved.length === 1 ? 'reading' : 'readings'} moved, {found.still} as before.{' '}
                <Key action="undo" /> takes it back.
              </p>
              <ul className="handover-files">
                {found.moved.map(({ line, number, by }) => (
                  <li key={line}>
                    <span>line {number}</span>
                    <span className="quiet">
                      {(Math.abs(by) / SAMPLE_RATE).toFixed(3)} s {by < 0 ? 'earlier' : 'later'}
                    </span>
                  </li>
                ))}
              </ul>
            </>
          ) : (
            <p>Everything lies where it lay: nothing was moved.</p>
          )}
          {found.remarks.map((one) => (
            <p key={one} className="quiet">
              {one[0]!.toUpperCase()}
              {one.slice(1)}.
            </p>
          ))}
        </div>
      )}
    </section>
  )
}
