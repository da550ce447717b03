import {
  keepPreviousData,
  type QueryClient,
  queryOptions,
  useIsMutating,
  useMutation,
  useQuery,
  useQueryClient,
} from '@tanstack/react-query'
import { useEffect, useRef } from 'react'
import {
  answered,
  asBytes,
  client,
  type Edit,
  isAway,
  type Job,
  type Line,
  type Order,
  type Patch,
  Problem,
  type Production,
  type Settings,
  type Take,
} from './client'

const key = (id: string) => ['production', id]

export function useProductions() {
  return useQuery({ queryKey: ['productions'], queryFn: () => answered(client.GET('/api/productions/')) })
}

export function useProduction(id: string) {
  return useQuery({
    queryKey: key(id),
    queryFn: () => answered(client.GET('/api/productions/{production_id}/', { params: { path: { production_id: id } } })),
    // A film that is being made playable gains sound, shots and strip step by step; a long take its measures. What could not
    // be asked for is asked for again.
    refetchInterval: ({ state: { data, error } }) =>
      (data && error && isAway(error)) ||
      data?.picture.sources.some((source) => source.state === 'preparing') ||
      data?.lines.some(({ voice }) => voice && !voice.measured)
        ? 1500
        : false,
  })
}

const LOOK_MS = 3_000

/** How things stand on the server, in a few bytes. */
export function useNow(id: string) {
  return useQuery({
    queryKey: ['now', id],
    queryFn: () =>
      answered(client.GET('/api/productions/{production_id}/now/', { params: { path: { production_id: id } } })),
    refetchInterval: LOOK_MS,
  })
}

/** Other windows are followed: what was changed there is asked for, without anything being drawn anew for what is known. */
export function useOthers(id: string): void {
  const queries = useQueryClient()
  const { data: now } = useNow(id)
  const changing = useIsMutating() > 0
  const others = useRef<string>(undefined)
  useEffect(() => {
    const known = knownProduction(queries, id)
    // What this window is changing itself comes with the answer to that.
    if (!now || !known || changing) return
    const takes = known.lines.reduce((count, { tally }) => count + tally.length, 0)
    const elsewhere = others.current !== undefined && others.current !== now.others
    others.current = now.others
    if (now.revision > known.revision || takes < now.takes || elsewhere) void refetchProduction(queries, id)
  }, [now, changing, queries, id])
}

/** A production with a change worked in: changed lines, their order. */
export function patched(before: Production, patch: Patch): Production {
  const { lines, order, picture, revision, undo, redo, to_do, crossing, sync_points, sayings } = patch
  const byId = new Map(before.lines.map((line) => [line.id, line]))
  for (const line of lines) byId.set(line.id, line)
  const places = order ?? before.lines.map((line) => line.id)
  return {
    ...before,
    lines: places.flatMap((id) => byId.get(id) ?? []),
    picture: picture ?? before.picture,
    revision,
    undo,
    redo,
    to_do,
    crossing,
    sync_points,
    sayings,
  }
}

const NONE: Take[] = []
const ofProduction = (production: string) => ['takes', production]
const ofLine = (production: string, line: string) => [...ofProduction(production), line]

/** Whether something is still to be learned of a take: its measures, or its words. */
export const isUnknown = (take: Take) => take.state === 'finished' && (!take.measured || take.read?.state === 'waiting')

export function takesOf(production: string, line: Line | undefined) {
  return queryOptions({
    queryKey: ofLine(production, line?.id ?? ''),
    queryFn: () => answered(client.GET('/api/lines/{line_id}/takes/', { params: { path: { line_id: line!.id } } })),
    // Nobody has to wait for nothing.
    enabled: Boolean(line?.tally.length),
    // A long take gets its measures later, and every take its words.
    refetchInterval: ({ state: { data, error } }) =>
      (error && isAway(error)) || data?.some((take) => isUnknown(take)) ? 1500 : false,
  })
}

/** A line's takes, in order of their numbers; those of its neighbours are asked for before they are looked at. */
export function useTakes(production: string, line: Line | undefined, before?: Line, next?: Line) {
  const { data, error } = useQuery(takesOf(production, line))
  useQuery(takesOf(production, before))
  useQuery(takesOf(production, next))
  const waiting = Boolean(line?.tally.length) && !data && !error
  return { takes: data ?? NONE, waiting, error: data ? null : error }
}

/** A production with one more take in its line's tally. */
export function withTake(before: Production, { line, number, aside }: Take): Production {
  const stroke = { number, aside }
  const counted = (tally: Line['tally']) =>
    [...tally.filter((other) => other.number !== number), stroke].sort((a, b) => a.number - b.number)
  return {
    ...before,
    lines: before.lines.map((each) => (each.id === line ? { ...each, tally: counted(each.tally) } : each)),
  }
}

/** Work a take that was just saved into what is known. */
export function addTake(queries: QueryClient, production: string, take: Take): void {
  queries.setQueryData<Take[]>(
    ofLine(production, take.line),
    (known) => known && [...known.filter((other) => other.id !== take.id), take].sort((a, b) => a.number - b.number),
  )
  queries.setQueryData<Production>(key(production), (before) => before && withTake(before, take))
}

/** The production as it is known now, which may be newer than what was drawn last. */
export function knownProduction(queries: QueryClient, id: string): Production | undefined {
  return queries.getQueryData<Production>(key(id))
}

/** Asked for again unless it is fresh: what another room did may show here. */
export function refreshProduction(queries: QueryClient, id: string): void {
  const { dataUpdatedAt = 0 } = queries.getQueryState(key(id)) ?? {}
  if (Date.now() - dataUpdatedAt > 5_000) void refetchProduction(queries, id)
}

export async function refetchProduction(queries: QueryClient, id: string): Promise<void> {
  await Promise.all([key(id), ofProduction(id)].map((queryKey) => queries.invalidateQueries({ queryKey })))
}

/** How often something was learned of a production. */
export function learned(queries: QueryClient, id: string): number {
  return queries.getQueryState(key(id))?.dataUpdateCount ?? 0
}

/** Work in what a change made different; `since` is how often something had been learned when it was asked for. */
export function workIn(queries: QueryClient, id: string, patch: Patch, since: number): void {
  const between = learned(queries, id) > since
  queries.setQueryData<Production>(key(id), (before) => before && patched(before, patch))
  const { lines, takes } = patch
  if (takes)
    for (const { id: line } of lines)
      queries.setQueryData<Take[]>(
        ofLine(id, line),
        takes.filter((take) => take.line === line),
      )
  // An answer that is on its way may tell how things were before, and this one too of what was learned meanwhile.
  for (const queryKey of [key(id), ofProduction(id)])
    if (between || queries.isFetching({ queryKey })) void queries.invalidateQueries({ queryKey })
  if (!takes) void queries.invalidateQueries({ queryKey: ofProduction(id) })
}

let turn: Promise<unknown> = Promise.resolve()

/** Edits that are built from what the one before them has made: one begins when the other is answered. */
export function inTurn(act: () => Promise<unknown> | undefined): void {
  turn = turn.then(act).catch(() => {})
}

/** Edits, undo and redo of a production. What comes back is worked into what is shown. */
export function useEdits(id: string) {
  const queries = useQueryClient()
  const path = { params: { path: { production_id: id } } }
  const worked = async (asked: () => Promise<Patch>) => {
    const since = learned(queries, id)
    const patch = await asked()
    workIn(queries, id, patch, since)
    return patch
  }
  const revision = () => queries.getQueryData<Production>(key(id))?.revision ?? 0
  const edit = useMutation({
    mutationFn: ({ revision: made, ...rest }: Edit & { revision?: number }) => {
      const body = { ...rest, revision: made ?? revision() } as Edit & { revision: number }
      return worked(() =>
        answered(client.POST('/api/productions/{production_id}/edits/', { ...path, body: body as never })),
      )
    },
    onError: (error) => {
      if (error instanceof Problem && error.status === 409) void refetchProduction(queries, id)
    },
    // Edits of one production are sent one after another, each at the revision that the one before it made.
    scope: { id: `edits-${id}` },
  })
  const undo = useMutation({
    mutationFn: () => worked(() => answered(client.POST('/api/productions/{production_id}/undo/', path))),
    scope: { id: `edits-${id}` },
  })
  const redo = useMutation({
    mutationFn: () => worked(() => answered(client.POST('/api/productions/{production_id}/redo/', path))),
    scope: { id: `edits-${id}` },
  })
  return { edit, undo, redo }
}

export function useSettings(id: string) {
  const queries = useQueryClient()
  return useMutation({
    // One after another: each is answered with the whole, and what was asked for last is to be seen.
    scope: { id: `settings ${id}` },
    mutationFn: (body: Settings) =>
      answered(client.PATCH('/api/productions/{production_id}/', { params: { path: { production_id: id } }, body })),
    onSuccess: (whole) => {
      // An edit of the same moment may have been answered first.
      if ((knownProduction(queries, id)?.revision ?? 0) > whole.revision) void refetchProduction(queries, id)
      else queries.setQueryData(key(id), whole)
    },
  })
}

export const isGoing = (job: Job) => job.state === 'waiting' || job.state === 'running'

/** The jobs of a production, asked for often while one is going. */
export function useJobs(id: string) {
  return useQuery({
    queryKey: ['jobs', id],
    queryFn: () =>
      answered(client.GET('/api/productions/{production_id}/jobs/', { params: { path: { production_id: id } } })),
    refetchInterval: (query) => (query.state.data?.some(isGoing) ? 600 : 20_000),
  })
}

/** Jobs of some kinds; `act` each time that one of them has ended. */
export function useJobsOf(id: string, kinds: readonly string[], act: () => void): Job[] | undefined {
  const { data } = useJobs(id)
  const own = data?.filter((job) => kinds.includes(job.kind))
  const ended = own
    ?.filter((job) => !isGoing(job))
    .map((job) => job.id)
    .join()
  const known = useRef(ended)
  useEffect(() => {
    if (ended === undefined || ended === known.current) return
    if (known.current !== undefined) act()
    known.current = ended
  })
  return own
}

export function useJobActions(id: string) {
  const queries = useQueryClient()
  const refresh = () => queries.invalidateQueries({ queryKey: ['jobs', id] })
  const cancel = useMutation({
    mutationFn: (job_id: string) => answered(client.POST('/api/jobs/{job_id}/cancel/', { params: { path: { job_id } } })),
    onSuccess: refresh,
  })
  const retry = useMutation({
    mutationFn: (job_id: string) => answered(client.POST('/api/jobs/{job_id}/retry/', { params: { path: { job_id } } })),
    onSuccess: refresh,
  })
  return { cancel, retry }
}

/** Have a take cut into the lines that were read in it, by a job. */
export function useCut(id: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (take_id: string) => answered(client.POST('/api/takes/{take_id}/cut/', { params: { path: { take_id } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['jobs', id] }),
  })
}

const handovers = (id: string) => ['handovers', id]

/** Presets, what can be chosen, what was handed over. */
export function useHandovers(id: string) {
  return useQuery({
    queryKey: handovers(id),
    queryFn: () =>
      answered(client.GET('/api/productions/{production_id}/handover/', { params: { path: { production_id: id } } })),
  })
}

/** What an order would write; worked out anew with each change of the production. */
export function usePlan({ id, revision }: Production, order: Order) {
  return useQuery({
    queryKey: ['plan', id, revision, order],
    queryFn: () =>
      answered(
        client.POST('/api/productions/{production_id}/handover/plan/', {
          params: { path: { production_id: id } },
          body: order,
        }),
      ),
    placeholderData: keepPreviousData,
  })
}

/** Hand over; keep an order as a preset, remove one; ask for what was written. */
export function useHandingOver(id: string) {
  const queries = useQueryClient()
  const refresh = () => queries.invalidateQueries({ queryKey: handovers(id) })
  const begin = useMutation({
    mutationFn: (body: Order) =>
      answered(
        client.POST('/api/productions/{production_id}/handover/', { params: { path: { production_id: id } }, body }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['jobs', id] }),
  })
  const keep = useMutation({
    mutationFn: (body: Order) => answered(client.POST('/api/handover-presets/', { body })),
    onSuccess: refresh,
  })
  const remove = useMutation({
    mutationFn: (preset_id: string) =>
      answered(client.DELETE('/api/handover-presets/{preset_id}/', { params: { path: { preset_id } } })),
    onSuccess: refresh,
  })
  return { begin, keep, remove, refresh }
}

/** A timeline that came back, read: readings move to where their files lie in it. */
export function useTimelineBack(id: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (timeline: ArrayBuffer) => {
      const since = learned(queries, id)
      const params = { path: { production_id: id } }
      const found = await answered(
        client.POST('/api/productions/{production_id}/handover/timeline/', { params, ...asBytes(timeline) }),
      )
      if (found.patch) workIn(queries, id, found.patch, since)
      return found
    },
    scope: { id: `edits-${id}` },
  })
}

/** What is suspicious, mended, treated; asked for again with each change of the production. */
export function usePolish({ id, revision }: Production) {
  return useQuery({
    queryKey: ['polish', id, revision],
    queryFn: () =>
      answered(client.GET('/api/productions/{production_id}/polish/', { params: { path: { production_id: id } } })),
    placeholderData: keepPreviousData,
  })
}

/** Have the voices scanned, by a job. */
export function useScan(id: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (again: boolean) =>
      answered(
        client.POST('/api/productions/{production_id}/polish/scan/', {
          params: { path: { production_id: id } },
          body: { again },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['jobs', id] }),
  })
}

/** How long lines are to last together: each no longer than its slot, or all of them as long as wanted. */
export type LengthsWish = { way: 'slots' | 'whole'; wanted?: number; most: number }

/** Begin to set the lengths of all lines. */
export function useSetLengths(id: string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (body: LengthsWish) =>
      answered(client.POST('/api/productions/{production_id}/lengths/', { params: { path: { production_id: id } }, body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['jobs', id] }),
  })
}

/** What a scan has found is asked for. */
export function refreshPolish(queries: QueryClient, id: string): void {
  void queries.invalidateQueries({ queryKey: ['polish', id] })
  void refetchProduction(queries, id)
}

const roomOf = (production: string) => ['room', production]

/** What the room was like when it was last listened to. */
export function useRoomCheck(production: string) {
  const path = { production_id: production }
  return useQuery({
    queryKey: roomOf(production),
    queryFn: async () =>
      (await answered(client.GET('/api/productions/{production_id}/room-check/', { params: { path } }))).room,
    staleTime: Number.POSITIVE_INFINITY,
  })
}

/** Have the server listen to some seconds of the room. */
export function useRoomChecking(production: string) {
  const queries = useQueryClient()
  const path = { production_id: production }
  return useMutation({
    mutationFn: ({ sound, input }: { sound: ArrayBuffer; input: string }) =>
      answered(
        client.POST('/api/productions/{production_id}/room-check/', {
          params: { path, query: { input } },
          ...asBytes(sound),
        }),
      ),
    onSuccess: ({ room }) => queries.setQueryData(roomOf(production), room),
  })
}
