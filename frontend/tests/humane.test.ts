import { expect, it } from 'vitest'
import { ago, count, plural } from '../src/shared/format/humane'

const now = new Date('2026-11-23T12:00:00Z').getTime()

it.each([
  ['2026-11-23T11:59:40Z', 'just now'],
  ['2026-11-23T11:15:00Z', '45 min ago'],
  ['2026-11-23T08:30:00Z', '3 h ago'],
  ['2026-11-20T12:00:00Z', '3 d ago'],
  [null, 'never'],
])('says how long ago %s was', (time, said) => {
  expect(ago(time, now)).toBe(said)
})

it('counts with thin spaces and the right noun', () => {
  expect(count(1234567)).toBe('1\u202f234\u202f567')
  expect(plural(1, 'column')).toBe('1 column')
  expect(plural(2, 'column')).toBe('2 columns')
})
