// @vitest-environment jsdom
import { describe, expect, it } from 'vitest'
import { ACTIONS, isTyping, keyName, keyOf, keyText, useChangedKeys } from './keys'

const press = (key: string, more: Partial<KeyboardEvent> = {}) =>
  keyName({ key, ctrlKey: false, metaKey: false, altKey: false, shiftKey: false, ...more })

describe('keys', () => {
  it('are named as the table writes them', () => {
    expect(press(' ')).toBe('Space')
    expect(press('?', { shiftKey: true })).toBe('?')
    expect(press('Z', { shiftKey: true, ctrlKey: true })).toBe('Ctrl+Shift+z')
    expect(press('z', { metaKey: true })).toBe('Ctrl+z')
    expect(press('ArrowLeft', { shiftKey: true })).toBe('Shift+ArrowLeft')
  })

  it('do not collide inside a room', () => {
    const rooms = ['Picture', 'Script', 'Booth', 'Takes']
    for (const room of rooms) {
      const own = Object.values(ACTIONS).filter((action) => action.room.includes(room))
      const all = [...own, ...Object.values(ACTIONS).filter((action) => action.room === 'everywhere')]
      expect(new Set(all.map((action) => action.key)).size).toBe(all.length)
    }
  })

  it('can be changed and put back', () => {
    useChangedKeys.getState().set('record', 'r')
    expect(keyOf('record')).toBe('r')
    useChangedKeys.getState().set('record', null)
    expect(keyOf('record')).toBe('Enter')
  })

  it('never fire while somebody types', () => {
    document.body.innerHTML =
      '<input id="a"><textarea id="b"></textarea><p id="c"></p><div role="dialog"><p id="d"></p></div>'
    const at = (id: string) => isTyping(document.getElementById(id))
    expect([at('a'), at('b'), at('c'), at('d')]).toEqual([true, true, false, true])
  })

  it('are read with signs', () => {
    expect(keyText('Shift+PageUp')).toBe('Shift Page ↑')
    expect(keyText('z')).toBe('Z')
  })
})
