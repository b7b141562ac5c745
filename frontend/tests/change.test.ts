import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { api, ApiError } from '../src/api/client'
import { asText, grouped, holds, pieces, type Outcome } from '../src/features/change/consequences'
import { close, openAt } from './opened'

// The editor itself needs a real browser: there it has its tests.
vi.mock('../src/shared/components/SqlEditor.vue', () => ({
  __esModule: true,
  default: {
    props: ['modelValue', 'problems'],
    template:
      '<textarea class="stub" :value="modelValue" @input="$emit(\'update:modelValue\', $event.target.value)" />',
  },
}))
vi.setConfig({ testTimeout: 60_000 })
const SQL = 'alter table tidy.tickets drop column fare'
const outcome: Outcome = {
  change: SQL,
  stopped: [],
  edited: [],
  added: [],
  late: [],
  delivers: [],
  system: 'postgres://islands:5432',
  database: 'strait',
  refused: null,
  edits: [],
  consequences: [
    {
      kind: 'breaks',
      subject: 'core/ticket_facts.sql',
      what: 'job',
      reason: 'column t.fare does not exist',
      dataset: null,
      definition: 7,
      owner: null,
      because: null,
      columns: [],
      failure: {
        message: 'column t.fare does not exist',
        start: 8,
        end: 14,
        text: 'select (t.fare - 1) <img onerror=x>',
        first_line: 3,
      },
    },
    {
      kind: 'goes stale',
      subject: 'core.ticket_facts',
      what: 'table',
      reason: 'it is no longer filled: core/ticket_facts.sql fails',
      dataset: 28,
      definition: null,
      owner: 'Revenue data',
      because: 'core/ticket_facts.sql',
      columns: [],
      failure: null,
    },
  ],
  consequences_total: 2,
  counts: { breaks: 1, 'goes stale': 1 },
  untouched: [{ subject: 'tidy.ports', what: 'table', dataset: 30 }],
  untouched_total: 1,
  reachable: 3,
  reports: [
    {
      dataset: 9,
      title: 'Quay board',
      owner: 'Quay desk',
      kind: 'goes stale',
      elements: [],
      views: 198,
      people: 2,
      last_opened: '2026-11-26',
      told: true,
    },
    {
      dataset: 10,
      title: 'Old tides',
      owner: null,
      kind: 'breaks',
      elements: ['High water'],
      views: 0,
      people: 0,
      last_opened: null,
      told: true,
    },
    {
      dataset: 11,
      title: 'Board pack',
      owner: null,
      kind: 'goes stale',
      elements: ['Gross'],
      views: 0,
      people: 0,
      last_opened: null,
      told: false,
    },
  ],
  people: [{ person: 'revenue_desk', runs: 487, queries: 6, last: '2026-11-26' }],
  failing: [],
  not_run: ['models/fares.sql'],
  version: 4,
}

beforeEach(() => {
  vi.useFakeTimers({ toFake: ['setTimeout', 'clearTimeout'] })
  vi.spyOn(api, 'changeDatabases').mockResolvedValue([
    { system: 'postgres://islands:5432', database: 'strait', texts: 33 },
    { system: 'postgres://islands:5432', database: 'harbour', texts: 1 },
  ])
  vi.spyOn(api, 'simulate').mockResolvedValue(outcome)
  vi.spyOn(api, 'keptChanges').mockResolvedValue({ items: [], next: null })
})
afterEach(() => {
  sessionStorage.clear()
  close()
})

it('says what breaks, with the characters that do, and what does not', async () => {
  const { page } = await openAt(`/change?sql=${SQL}`)
  expect(page.find('.figures').text()).toContain('1break')
  expect(page.find('.one mark').text()).toBe('t.fare')
  // Code is text, whatever stands in it.
  expect(page.find('.one pre').text()).toContain('<img onerror=x>')
  expect(page.find('.one img').exists()).toBe(false)
  expect(page.text()).toContain('reach alone would have warned of 3; 1 need no word')
  expect(page.text()).toContain('1 text that are templates')
  await page
    .findAll('button')
    .find((one) => one.text() === 'show them')
    ?.trigger('click')
  expect(page.find('.ledger ul').text()).toContain('tidy.ports')
})

it('says whom it concerns, and which reports nobody opens', async () => {
  const { page } = await openAt(`/change?sql=${SQL}`)
  const [reports, people] = page.findAll('.concerned').map((one) => one.text())
  expect(reports).toContain('3 reports concerned, 1 of which nobody has opened in 30 days')
  expect(reports).toContain('198 views by 2 people in 30 days')
  expect(page.find('.unseen').text()).toBe(
    'Opened by nobody, so that they can probably go: Old tides',
  )
  expect(reports).toContain('nobody tells who opens it')
  expect(people).toContain('revenue_desk')
  expect(people).toContain('487 runs of 6 queries')
})

it('shows what differs in a query, as text', async () => {
  vi.spyOn(api, 'simulate').mockResolvedValue({
    ...outcome,
    edits: [
      {
        subject: 'mart.gross',
        dataset: 31,
        clear: true,
        safe: false,
        sentence: 'Gross has other values; other rows may come (another filter).',
        columns: [
          { name: 'gross', kind: 'computed otherwise', before: 'fare', after: 'fare * <b>2</b>' },
        ],
        rows: [{ part: 'filter', came: ['not void'], went: [] }],
      },
    ],
  })
  const { page } = await openAt('/change?sql=create or replace view mart.gross as select 1')
  const edit = page.find('.edit')
  expect(edit.text()).toContain('Gross has other values')
  expect(edit.find('del').text()).toBe('fare')
  expect(edit.findAll('ins').map((one) => one.text())).toEqual(['fare * <b>2</b>', 'not void'])
  expect(asText({ ...outcome, edits: [] })).not.toContain('mart.gross')
})

it('narrows down by kind and groups by whom it concerns', async () => {
  const { page } = await openAt(`/change?sql=${SQL}`)
  await page.findAll('.figures button')[2]?.trigger('click')
  expect(page.findAll('.one')).toHaveLength(1)
  expect(page.find('.one').text()).toContain('core.ticket_facts')
  await page.findAll('.figures button')[2]?.trigger('click')
  await page
    .findAll('.by button')
    .find((one) => one.text() === 'person')
    ?.trigger('click')
  expect(page.findAll('.group h3 b').map((one) => one.text())).toEqual([
    'nobody named',
    'Revenue data',
  ])
})

it('asks a moment after the last key, and keeps what is written in the address', async () => {
  const { page, router } = await openAt('/change')
  expect(api.simulate).not.toHaveBeenCalled()
  await page.find('textarea').setValue('drop table tidy.tickets')
  await vi.advanceTimersByTimeAsync(100)
  expect(api.simulate).not.toHaveBeenCalled()
  await page.find('textarea').setValue(SQL)
  await vi.advanceTimersByTimeAsync(500)
  await flushPromises()
  expect(vi.mocked(api.simulate).mock.calls.map(([one]) => one.sql)).toEqual([SQL])
  expect(router.currentRoute.value.query.sql).toBe(SQL)
})

it('asks what happens where something does not run', async () => {
  vi.spyOn(api, 'changeTexts').mockResolvedValue(['tidy/ports.sql', 'tidy/tickets.sql'])
  const { page, router } = await openAt('/change?stop=tidy/ports.sql')
  expect(vi.mocked(api.simulate).mock.calls[0]?.[0]).toMatchObject({
    sql: '',
    stopped: ['tidy/ports.sql'],
  })
  await page.find('[aria-label="Find what would not run"]').setValue('tidy')
  await vi.advanceTimersByTimeAsync(300)
  await flushPromises()
  // What is stopped already is not offered again.
  expect(page.findAll('.proposal li').map((one) => one.text())).toEqual(['tidy/tickets.sql'])
  await page.find('.proposal li button').trigger('click')
  await flushPromises()
  expect(router.currentRoute.value.query.stop).toEqual(['tidy/ports.sql', 'tidy/tickets.sql'])
  await page.find('.proposal .one button').trigger('click')
  await flushPromises()
  expect(router.currentRoute.value.query.stop).toEqual(['tidy/tickets.sql'])
  await page.find('.proposal .one select').setValue('late')
  await flushPromises()
  expect(router.currentRoute.value.query).toMatchObject({ late: ['tidy/tickets.sql'] })
  expect(router.currentRoute.value.query.stop).toBeUndefined()
})

it('asks what happens where something else is delivered', async () => {
  vi.spyOn(api, 'changeTables').mockResolvedValue({ 'landing.tickets': ['fare', 'port'] })
  const { page, router } = await openAt('/change')
  await page.find('[aria-label="Find what would be delivered otherwise"]').setValue('tickets fa')
  await vi.advanceTimersByTimeAsync(300)
  await flushPromises()
  expect(page.findAll('.proposal li').map((one) => one.text())).toEqual(['landing.tickets.fare'])
  await page.find('.proposal li button').trigger('click')
  await flushPromises()
  expect(router.currentRoute.value.query.delivers).toEqual(['landing.tickets.fare'])
  await vi.advanceTimersByTimeAsync(700)
  expect(vi.mocked(api.simulate).mock.calls.at(-1)?.[0].delivers).toEqual(['landing.tickets.fare'])
})

const kept = {
  kept: {
    id: 7,
    name: 'no more fares',
    who: 'Quay',
    state: 'proposed' as const,
    kept_at: '2026-11-20T10:00:00Z',
    at: '2026-11-20T10:00:00Z',
    changed_by: 'Quay',
    database: 'strait',
    consequences: 2,
    refused: null,
    sql: SQL,
    stopped: [],
    late: [],
    delivers: [],
    edits: { 'tidy/ports.sql': 'select 2' },
    dialect: null,
  },
  outcome,
  impossible: null,
  came: [{ kind: 'breaks', subject: 'mart/loyalty.sql' }],
  came_total: 1,
  went: [],
  went_total: 0,
}

it('a text is edited, with what it makes beside it, and taken back', async () => {
  const text = { place: 'tidy/ports.sql', text: 'select 1', dialect: 'postgresql', asked: false }
  vi.spyOn(api, 'changeText').mockResolvedValue(text)
  vi.spyOn(api, 'readChangeText').mockResolvedValue({
    problems: [],
    statements: [
      {
        kind: 'select',
        target: 'tidy.ports',
        start: 0,
        end: 8,
        outputs: [
          { name: 'port', start: 7, end: 8, values: ['landing.ports.port'], conditions: [] },
        ],
        outputs_total: 1,
        rows: ['landing.ports.island'],
      },
    ],
    tables: {},
  })
  const { page } = await openAt('/change?edit=tidy/ports.sql')
  await vi.advanceTimersByTimeAsync(100)
  await flushPromises()
  expect(page.find('.makes').text()).toContain('port of landing.ports.port')
  expect(page.find('.makes').text()).toContain('rows by landing.ports.island')
  expect(api.simulate).not.toHaveBeenCalled()
  await page.find('textarea.stub').setValue('select 2')
  await vi.advanceTimersByTimeAsync(400)
  await flushPromises()
  expect(vi.mocked(api.simulate).mock.calls.at(-1)?.[0].edits).toEqual({
    'tidy/ports.sql': 'select 2',
  })
  await page.find('[aria-label="take back the edit of tidy/ports.sql"]').trigger('click')
  await flushPromises()
  expect((page.find('textarea.stub').element as HTMLTextAreaElement).value).toBe('select 1')
})

it('a change is kept under a name, and says what it does otherwise by now', async () => {
  vi.spyOn(api, 'keptChanges').mockResolvedValue({ items: [kept.kept], next: null })
  vi.spyOn(api, 'keptChange').mockResolvedValue(kept)
  const keep = vi.spyOn(api, 'keepChange').mockResolvedValue({ id: 7 })
  const tell = vi.spyOn(api, 'editKeptChange').mockResolvedValue(undefined as never)
  const { page, router } = await openAt(`/change?sql=${SQL}`)
  await page.find('.keep input').setValue('no more fares')
  await page.find('.keep').trigger('submit')
  await flushPromises()
  expect(keep.mock.calls[0]?.[0]).toMatchObject({ name: 'no more fares', sql: SQL })
  expect(router.currentRoute.value.query.kept).toBe('7')
  const head = () => page.find('.kept').text()
  expect(head()).toContain('1 came, 0 went')
  expect(head()).toContain('mart/loyalty.sql')
  // What was kept is taken over whole.
  await vi.advanceTimersByTimeAsync(700)
  await flushPromises()
  expect(page.find('.proposal').text()).toContain('tidy/ports.sql')
  expect(head()).not.toContain('otherwise than what is kept')
  await page.find('.kept select').setValue('reviewed')
  expect(tell.mock.calls[0]).toEqual([7, { state: 'reviewed', settle: false }])
  await page.find('textarea').setValue('drop table tidy.ports')
  await vi.advanceTimersByTimeAsync(700)
  await flushPromises()
  expect(head()).toContain('otherwise than what is kept')
})

it('kept changes are listed where nothing is asked yet', async () => {
  vi.spyOn(api, 'keptChanges').mockResolvedValue({ items: [kept.kept], next: null })
  const { page } = await openAt('/change')
  expect(page.find('.ledger').text()).toContain('no more fares')
  expect(page.find('.ledger').text()).toContain('2 consequences')
})

it('says what the database would refuse, and what cannot be read', async () => {
  vi.spyOn(api, 'simulate').mockResolvedValue({
    ...outcome,
    refused: 'cannot drop table core.facts because other objects depend on it',
    consequences: [],
    counts: {},
    untouched: [],
  })
  const { page } = await openAt('/change?sql=drop table core.facts')
  expect(page.find('.refused').text()).toContain('because other objects depend on it')
  expect(page.find('.figures').exists()).toBe(false)
  page.unmount()
  vi.spyOn(api, 'simulate').mockRejectedValue(new ApiError('change: line 1: met “tabel”', 422))
  const { page: other } = await openAt('/change?sql=alter tabel x')
  await vi.advanceTimersByTimeAsync(10)
  expect(other.find('[role=alert]').text()).toContain('line 1')
})

it('puts consequences into words for a review, and finds words in them', () => {
  const [breaks, stale] = outcome.consequences
  expect(asText(outcome)).toContain('- core.ticket_facts goes stale: it is no longer filled')
  expect(asText(outcome)).toContain('(Revenue data)')
  expect(stale && holds(stale, 'revenue FILLED')).toBe(true)
  expect(stale && holds(stale, 'revenue tides')).toBe(false)
  expect(breaks?.failure && pieces(breaks.failure).marked).toBe('t.fare')
  expect(grouped(outcome.consequences, 'thing').map((one) => one.name)).toEqual(['job', 'table'])
})
