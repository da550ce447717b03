import { QueryClient, QueryObserver } from '@tanstack/react-query'
import { afterEach, describe, expect, it, vi } from 'vitest'
import { dice } from '../testing'
import type { Line, Patch, Production, Take } from './client'
import { addTake, learned, patched, refetchProduction, takesOf, withTake, workIn } from './production'

const line = (id: string, text = id) => ({ id, text, tally: [], pick: null }) as unknown as Line
const before = { lines: [line('a'), line('b'), line('c')], revision: 4 } as unknown as Production
const patch = (more: Partial<Patch>) => ({ lines: [], takes: [], order: null, revision: 5, ...more }) as unknown as Patch

describe('a patch', () => {
  it('changes a line in place', () => {
    const after = patched(before, patch({ lines: [line('b', 'other')] }))
    expect(after.lines.map((each) => each.text)).toEqual(['a', 'other', 'c'])
    expect(after.revision).toBe(5)
  })

  it('takes lines out, puts new ones where the order says', () => {
    const after = patched(before, patch({ lines: [line('n')], order: ['a', 'n', 'c'] }))
    expect(after.lines.map((each) => each.id)).toEqual(['a', 'n', 'c'])
  })
})

describe('a saved take', () => {
  it('is one stroke of its line, in order, however often it is said to be saved', () => {
    const saved = (number: number) => ({ id: `take ${number}`, line: 'b', number, aside: false }) as Take
    const after = [2, 1, 2].reduce((known, number) => withTake(known, saved(number)), before)
    expect(after.lines.map((each) => each.tally.map((stroke) => stroke.number))).toEqual([[], [1, 2], []])
  })
})

/** A server with lines and takes, whose answers take a while and may tell how things were when it was asked. */
class FakeServer {
  revision = 0
  lines = ['a', 'b', 'c', 'd'].map((id) => line(id))
  takes: Take[] = []
  asked = 0

  constructor(
    private readonly random: () => number,
    private readonly slow = 6,
  ) {}

  private async after<T>(work: () => T): Promise<T> {
    this.asked++
    const early = this.random() < 0.5 ? work() : undefined
    await new Promise((done) => setTimeout(done, this.random() * this.slow))
    return early ?? work()
  }

  private of = (id: string) => this.takes.filter((take) => take.line === id).map((take) => ({ ...take }))
  private row = (each: Line): Line => ({
    ...each,
    tally: this.of(each.id).map(({ number, aside }) => ({ number, aside })),
    pick: this.of(each.id).find((take) => take.id === each.pick)?.id ?? null,
  })
  whole = () => ({ id: 'p', revision: this.revision, lines: this.lines.map(this.row) }) as Production

  GET = async (path: string, options?: { params: { path: { line_id: string } } }) => ({
    data: await this.after<unknown>(() => (path.includes('lines') ? this.of(options!.params.path.line_id) : this.whole())),
    response: new Response('{}'),
  })

  save(id: string): Promise<Take> {
    const number = this.of(id).length + 1
    const take = { id: `${id}${number}`, line: id, number, aside: false, state: 'finished', measured: true } as Take
    this.takes.push(take)
    return this.after(() => ({ ...take }))
  }

  /** A line's takes set aside or taken back, its last one picked; of many lines the takes are not told. */
  edit(ids: string[], told: boolean): Promise<Patch> {
    this.revision++
    for (const take of this.takes) if (ids.includes(take.line)) take.aside = !take.aside
    this.lines = this.lines.map((each) =>
      ids.includes(each.id) ? { ...each, pick: this.of(each.id).at(-1)?.id ?? null } : each,
    )
    const lines = this.lines.filter((each) => ids.includes(each.id)).map(this.row)
    return this.after(() => patch({ lines, takes: told ? ids.flatMap(this.of) : null, revision: this.revision }))
  }
}

let server: FakeServer
vi.mock('./client', async () => ({
  ...(await vi.importActual<typeof import('./client')>('./client')),
  client: new Proxy({}, { get: (_, name) => server[name as 'GET'] }),
}))

describe('what is known of takes', () => {
  const ends: (() => void)[] = []
  afterEach(() => {
    for (const end of ends.splice(0)) end()
  })

  /** What the rooms look at: the production, and the takes of two of its lines. */
  function looking(queries: QueryClient) {
    const whole = new QueryObserver(queries, {
      queryKey: ['production', 'p'],
      queryFn: async () => (await server.GET('/api/productions/')).data as Production,
    })
    const rows = ['a', 'b'].map((id) => new QueryObserver(queries, takesOf('p', line(id))))
    const enable = ({ data }: { data: Production | undefined }) => {
      for (const [n, observer] of rows.entries()) observer.setOptions(takesOf('p', data?.lines[n]))
    }
    ends.push(whole.subscribe(enable), ...rows.map((observer) => observer.subscribe(() => {})))
    return { whole, rows }
  }

  it.each(Array.from({ length: 24 }, (_, n) => n))(
    'is what the server knows in the end, whichever answer comes first (%i)',
    async (seed) => {
      const random = dice(seed)
      server = new FakeServer(random, seed % 2 ? 6 : 25)
      const queries = new QueryClient({ defaultOptions: { queries: { retry: false } } })
      const { whole, rows } = looking(queries)
      const any = () => ['a', 'b', 'c', 'd'][Math.floor(random() * 4)]!
      // Edits go one after another, as the interface sends them; takes are saved whenever they are.
      let edits: Promise<unknown> = Promise.resolve()
      const saves: Promise<unknown>[] = []
      for (let step = 0; step < 40; step++) {
        const what = random()
        if (what < 0.4)
          saves.push(
            server.save(any()).then((take) => {
              addTake(queries, 'p', take)
              return refetchProduction(queries, 'p')
            }),
          )
        else if (what < 0.9) {
          const ids = what < 0.7 ? [any()] : ['a', 'b', 'c', 'd']
          edits = edits.then(async () => {
            const since = learned(queries, 'p')
            workIn(queries, 'p', await server.edit(ids, ids.length === 1), since)
          })
        }
        await new Promise((done) => setTimeout(done, random() * 4))
      }
      await Promise.all([edits, ...saves])
      await vi.waitFor(() => expect(queries.isFetching()).toBe(0))
      const truth = server.whole()
      expect(whole.getCurrentResult().data).toEqual({ ...truth, ...whole.getCurrentResult().data, lines: truth.lines })
      expect(whole.getCurrentResult().data!.revision).toBe(server.revision)
      for (const [n, id] of ['a', 'b'].entries())
        expect(rows[n]!.getCurrentResult().data ?? []).toEqual(server.takes.filter((take) => take.line === id))
    },
  )

  it('asks again when an edit is answered after something newer was learned', async () => {
    server = new FakeServer(() => 0.1)
    const queries = new QueryClient()
    const { whole, rows } = looking(queries)
    await vi.waitFor(() => expect(whole.getCurrentResult().data).toBeDefined())
    const since = learned(queries, 'p')
    const late = server.edit(['a'], true)
    addTake(queries, 'p', await server.save('a'))
    await refetchProduction(queries, 'p')
    await vi.waitFor(() => expect(queries.isFetching()).toBe(0))
    workIn(queries, 'p', await late, since)
    await vi.waitFor(() => expect(rows[0]!.getCurrentResult().data).toMatchObject([{ id: 'a1' }]))
    expect(whole.getCurrentResult().data).toMatchObject({ revision: 1, lines: [{ tally: [{ number: 1 }] }, {}, {}, {}] })
  })

  it('asks nothing more when a change brings the takes of its line', async () => {
    server = new FakeServer(() => 0)
    await server.save('a')
    const queries = new QueryClient()
    const { whole, rows } = looking(queries)
    await vi.waitFor(() => expect(rows[0]!.getCurrentResult().data).toHaveLength(1))
    await vi.waitFor(() => expect(queries.isFetching()).toBe(0))
    const { asked } = server
    const since = learned(queries, 'p')
    workIn(queries, 'p', await server.edit(['a'], true), since)
    expect(rows[0]!.getCurrentResult().data).toMatchObject([{ id: 'a1', aside: true }])
    expect(whole.getCurrentResult().data!.lines[0]!.pick).toBe('a1')
    expect(server.asked).toBe(asked + 1)
  })
})
