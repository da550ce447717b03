import { describe, expect, it } from 'vitest'
import type { Line, Patch, Production, Take } from './client'
import { patched, withTake } from './production'

const line = (id: string, text = id) => ({ id, text }) as Line
const take = (id: string, of: string) => ({ id, line: of }) as Take
const before = {
  lines: [line('a'), line('b'), line('c')],
  takes: [take('1', 'a'), take('2', 'b')],
  revision: 4,
} as Production
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

  it('replaces the takes of the lines it speaks of and no others', () => {
    const after = patched(before, patch({ lines: [line('b')], takes: [take('3', 'b')] }))
    expect(after.takes.map((each) => each.id)).toEqual(['1', '3'])
    expect(withTake(after, take('3', 'b')).takes).toHaveLength(2)
  })
})
