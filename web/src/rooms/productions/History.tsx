import { Button, Modal } from '@mantine/core'
import { useInfiniteQuery } from '@tanstack/react-query'
import { answered, client, type ListedProduction } from '../../api/client'

const PAGE = 100

/** What was done to a production, by whom and when; the newest first. */
export function History({ of, onClose }: { of: ListedProduction | null; onClose: () => void }) {
  return (
    <Modal opened={Boolean(of)} onClose={onClose} title={`What was done to “${of?.name ?? ''}”`} size="lg">
      {of && <Entries production={of.id} />}
    </Modal>
  )
}

function Entries({ production }: { production: string }) {
  const { data, error, hasNextPage, fetchNextPage, isFetchingNextPage } = useInfiniteQuery({
    queryKey: ['history', production],
    queryFn: ({ pageParam }) =>
      answered(
        client.GET('/api/productions/{production_id}/history/', {
          params: { path: { production_id: production }, query: pageParam ? { before: pageParam } : {} },
        }),
      ),
    initialPageParam: '',
    getNextPageParam: (last) => (last.length < PAGE ? undefined : last.at(-1)!.at),
    gcTime: 0,
  })
  if (error) return <p role="alert">It can’t be shown now: {error.message}</p>
  const found = data?.pages.flat() ?? []
  return (
    <div aria-busy={!data}>
      {data && !found.length && <p className="quiet">Nothing yet.</p>}
      <ol className="history" data-testid="history">
        {found.map(({ at, who, what }, n) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: entries never change their place
          <li key={n}>
            <time dateTime={at}>{new Date(at).toLocaleString([], { dateStyle: 'short', timeStyle: 'short' })}</time>
            <span className="quiet">{who}</span>
            <span>{what}</span>
          </li>
        ))}
      </ol>
      {hasNextPage && (
        <Button variant="default" size="xs" loading={isFetchingNextPage} onClick={() => void fetchNextPage()}>
          Earlier
        </Button>
      )}
    </div>
  )
}
