import { Button, Loader } from '@mantine/core'
import { notifications } from '@mantine/notifications'
import { Link } from 'react-router'
import { Problem } from '../api/client'

/** Something is on its way. */
export function Loading() {
  return (
    <div className="said" role="status">
      <Loader size="sm" color="gray" /> <span>loading</span>
    </div>
  )
}

/** Something could not be loaded: what happened, and what to do. */
export function Failed({ said, onRetry }: { said: string; onRetry?: () => void }) {
  return (
    <div className="said" role="alert">
      <p>{said}</p>
      {onRetry && <Button onClick={onRetry}>Try again</Button>}
      <Button component={Link} to="/" variant="subtle">
        All productions
      </Button>
    </div>
  )
}

/** Say what an action did beside what is seen. */
export function sayNote(message: string): void {
  notifications.show({ message, autoClose: 9000 })
}

/** Say a failed action, once, where it is seen. */
export function sayProblem(error: unknown): void {
  const problem = error instanceof Problem ? error : null
  notifications.show({
    title: problem?.title ?? 'Not possible',
    message: error instanceof Error ? error.message : 'Something went wrong. Nothing was changed; try again.',
    color: 'yellow',
    autoClose: 9000,
    role: 'alert',
  })
}
