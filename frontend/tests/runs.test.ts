import { flushPromises, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { api, type Schemas } from '../src/api/client'
import { onTheWay, placeRoad, spanOfRoad } from '../src/features/runs/road'
import { spanNamed, spanOf, spanWords, tickName, ticks } from '../src/features/runs/span'
import { standing } from '../src/features/runs/useStates'
import { clock, shortJob, size, stateOf, took } from '../src/features/runs/words'
import * as answers from './answers'
import { close, openAt } from './opened'

// The first one to open a screen waits until its parts are read.
vi.setConfig({ testTimeout: 60_000 })
const NOW = new Date(2026, 10, 27, 17, 30)
const RUN = '01950000-0000-7000-8000-000000010013'
const job = { id: 7, namespace: 'ferry', name: 'nightly.tidy.refunds' }
const stage = { id: 8, namespace: 'ferry', name: 'nightly.tidy' }
const usual = { low: 3500, middle: 3900, high: 4400, runs: 12, verdict: '' as const }
const row: Schemas['RunRow'] = {
  run: RUN,
  job,
  parent: '01950000-0000-7000-8000-000000010001',
  parent_job: stage,
  state: 'failed',
  started_at: '2026-11-27T02:08:45Z',
  ended_at: '2026-11-27T02:08:51Z',
  took: 5.6,
  usual_took: { ...usual, low: 20, middle: 24, high: 30, verdict: 'low' },
  rows: null,
  usual_rows: usual,
  bytes: null,
  message: 'column "reason_code" does not exist',
  who: 'scheduler',
  version: 12,
  is_new: true,
  events: 2,
}
const counts: Schemas['RunCounts'] = {
  total: 418,
  events: 5061,
  since: '2026-11-26T17:30:00Z',
  until: '2026-11-27T17:30:00Z',
  facets: {
    state: [{ value: 'failed', label: 'failed', count: 1 }],
    pipeline: [{ value: '3', label: 'nightly', count: 34 }],
    who: [],
    wrote: [],
  },
  facets_of: 418,
  buckets: [{ at: '2026-11-27T02:00:00Z', done: 3, failed: 1, running: 0, other: 0 }],
}
const page: Schemas['RunsPage'] = {
  ...{ ...counts, total: 0, events: 0, facets: {}, facets_of: 0, buckets: [] },
  items: [row],
  next: 'more',
}
const facts: Schemas['RunFacts'] = {
  row,
  root: null,
  nominal_at: null,
  last_at: '2026-11-27T02:08:51Z',
  trace: 'in pipelines/tidy/refunds.sql',
  producer: 'urn:ferry',
  engine: '',
  query: '',
  address: 'https://runs.ferry.example/13',
  parameters: { SAILING_DAY: '2026-11-26' },
  job_type: 'BATCH, TASK',
  description: '',
  owner: 'Ticketing',
  tags: ['tier: gold'],
  place: 'tidy/refunds.sql',
  revision: 'a1b2c3d4e5f6',
  code: 'select 1',
  code_dialect: 'postgresql',
  callers: [{ ...row, job: stage, run: '01950000-0000-7000-8000-000000010001' }],
  children_total: 0,
  sides: [
    {
      dataset: 5,
      namespace: 'postgres://islands:5432',
      name: 'strait.landing.refunds',
      side: 'in',
      rows: 8140,
      usual_rows: null,
      bytes: null,
      version: '',
      pattern: [],
      subset: "port = 'north quay'",
      measures: { fare: { null: 3, sum: 8140.5 } },
      measured: 120,
      checks: [['not_null', 'reason_code', false]],
      writer: '01950000-0000-7000-8000-000000010009',
      writer_state: 'done',
      written_at: '2026-11-27T02:05:00Z',
    },
  ],
  changes: {
    against: '01950000-0000-7000-8000-000000020013',
    at: '2026-11-26T02:08:45Z',
    code: true,
    before: 'select reason',
    after: 'select reason_code',
    inputs_added: [],
    inputs_gone: ['strait.landing.fares'],
    outputs_added: [],
    outputs_gone: [],
  },
  plans: { logicalPlan: { node: 'Scan', children: [{ node: 'Filter fog' }] } },
  stale: [
    {
      dataset: 9,
      name: 'strait.core.ticket_facts',
      title: 'core.ticket_facts',
      kind: 'table',
      owner: null,
      hops: 1,
    },
  ],
  stale_total: 11,
  stale_since: '2026-11-26T02:09:00Z',
  repaired_at: null,
  repaired_by: null,
}

class Quiet {
  listeners = new Map<string, () => void>()
  static last: Quiet | null = null
  constructor() {
    Quiet.last = this
  }
  addEventListener(name: string, listener: () => void) {
    this.listeners.set(name, listener)
  }
  close() {}
}

beforeEach(() => {
  vi.stubGlobal('EventSource', Quiet)
  Object.defineProperty(HTMLElement.prototype, 'offsetWidth', {
    configurable: true,
    get: () => 1000,
  })
  vi.spyOn(api, 'find').mockResolvedValue([answers.hit])
  vi.spyOn(api, 'runs').mockResolvedValue(page)
  vi.spyOn(api, 'runCounts').mockResolvedValue(counts)
  vi.spyOn(api, 'timetable').mockResolvedValue({
    stations: ['landing', 'tidy'],
    lines: [
      {
        run: RUN,
        job: job.name,
        state: 'failed',
        started_at: row.started_at,
        ended_at: row.ended_at,
        from_station: 0,
        to_station: 1,
      },
    ],
    left_out: 3,
    counted_all: true,
    since: page.since,
    until: page.until,
  })
  vi.spyOn(api, 'searches').mockResolvedValue([])
  vi.spyOn(api, 'run').mockResolvedValue(facts)
  vi.spyOn(api, 'runEvents').mockResolvedValue({
    items: [
      {
        at: row.started_at,
        received_at: row.started_at,
        type: 'START',
        namespace: 'ferry',
        name: job.name,
        run: RUN,
        size: 40,
        event: 'e1',
        refused: null,
      },
    ],
    next: null,
  })
  vi.spyOn(api, 'event').mockResolvedValue({ event: 'e1', raw: '{"big": 12345678901234567890}' })
  vi.spyOn(api, 'suspects').mockResolvedValue({
    dataset: 9,
    name: 'mart.refund_watch',
    at: '2026-11-27T06:00:00Z',
    looked_at: 10,
    items: [
      { job, run: RUN, hops: 2, score: 0.97, reasons: [{ kind: 'failed', words: 'failed: fog' }] },
    ],
  })
  vi.spyOn(api, 'order').mockResolvedValue({
    dataset: 9,
    name: 'mart.refund_watch',
    steps: [
      { job, after: [], writes: [], last_run: RUN, last_state: 'failed', last_at: row.started_at },
      { job: stage, after: [0], writes: [], last_run: null, last_state: null, last_at: null },
    ],
    circles: [],
    origins: ['remote.refunds'],
  })
})
afterEach(close)

async function open(path: string) {
  const { page, router } = await openAt(path)
  await vi.waitFor(() => expect(page.find('main').exists()).toBe(true), 15_000)
  await flushPromises()
  return { page, router }
}

/** Wait until a screen, or a part of it, says all of this. */
async function says(screen: VueWrapper, within: string, ...words: string[]) {
  await vi.waitFor(() => {
    const text = screen.find(within).text()
    for (const said of words) expect(text).toContain(said)
  }, 15_000)
}

it('the ledger shows runs with their states as shape and word, and how many there are', async () => {
  const { page: screen } = await open('/runs?span=night')
  await says(
    screen,
    'main',
    'tidy.refunds',
    '✕ failed',
    '5.6 s',
    'v12, new',
    'nightly.tidy ▸ scheduler',
    '1 of 418 runs, 5\u202f061 events',
  )
  expect(api.runs).toHaveBeenCalledWith(
    expect.objectContaining({ q: '', limit: 60 }),
    expect.anything(),
  )
})

it('a run opens in place and says what it said, what changed, what it read and what is stale', async () => {
  const { page: screen, router } = await open('/runs')
  await says(screen, 'main', 'tidy.refunds')
  await screen.find('button.row').trigger('click')
  await flushPromises()
  expect(router.currentRoute.value.query.run).toEqual([RUN])
  await says(
    screen,
    '.detail',
    'column "reason_code" does not exist',
    'no longer reads landing.fares',
    'landing.refunds',
    '8\u202f140 rows',
    '✕ not_null reason_code',
    "where port = 'north quay'",
    '120 columns of landing.refunds measured (the first 1)',
    'null 3',
    'tier: gold',
    'core.ticket_facts',
    'and 3 more',
    'SAILING_DAY',
  )
  const button = (words: string) =>
    screen.findAll('.detail button').find((one) => one.text() === words)
  expect(screen.findAll('.detail .wide details')[0]?.text()).toContain('Filter fog')
  await button('see it')?.trigger('click')
  expect(screen.findAll('.detail .wide pre').map((one) => one.text())).toContain('select 1')
  await button('see both texts')?.trigger('click')
  expect(screen.find('.texts').text()).toContain('select reason_code')
  await button('2 events as received')?.trigger('click')
  await flushPromises()
  await screen.find('.detail .event .turn').trigger('click')
  await flushPromises()
  // A number that a browser cannot count is shown as it came.
  expect(screen.find('.detail').text()).toContain('12345678901234567890')
})

it('what comes in while somebody reads is only told', async () => {
  const { page: screen } = await open(`/runs?run=${RUN}`)
  await says(screen, 'main', 'tidy.refunds')
  const asked = vi.mocked(api.runs).mock.calls.length
  Quiet.last?.listeners.get('runs')?.()
  await flushPromises()
  expect(screen.text()).toContain('newer ones have come')
  expect(api.runs).toHaveBeenCalledTimes(asked)
})

it('a dataset says who may have made it wrong and what must run for it', async () => {
  const { page: screen } = await open('/runs/of/9')
  await says(
    screen,
    '.app',
    'How mart.refund_watch came to be',
    '2 hops upstream',
    'failed: fog',
    'after 1',
    'never seen to run',
  )
})

it.each([
  ['day', new Date(2026, 10, 26, 17, 30), NOW],
  ['night', new Date(2026, 10, 26, 22), new Date(2026, 10, 27, 10)],
  ['week', new Date(2026, 10, 20, 17, 30), NOW],
] as const)('the span %s has its ends', (name, since, until) => {
  expect(spanNamed(name, NOW)).toEqual({ since, until })
})

it('a night that goes on ends now, and begins to be looked at by midnight', () => {
  const late = new Date(2026, 10, 28, 0, 15)
  expect(spanNamed('night', late)).toEqual({ since: new Date(2026, 10, 27, 22), until: late })
  const last = { since: new Date(2026, 10, 26, 22), until: new Date(2026, 10, 27, 10) }
  expect(spanNamed('night', new Date(2026, 10, 27, 23, 15))).toEqual(last)
})

it('a span of the address is two times, or a name; anything else is the last day', () => {
  const since = new Date(2026, 10, 1).toISOString()
  const until = new Date(2026, 10, 2).toISOString()
  expect(spanOf(undefined, since, until, NOW).since.toISOString()).toBe(since)
  expect(spanOf('sand', until, since, NOW)).toEqual(spanNamed('day', NOW))
})

it('ticks stand at full hours or days, and are few', () => {
  const night = ticks(spanNamed('night', NOW))
  expect(night.length).toBeLessThanOrEqual(9)
  expect(night.every((one) => one.getMinutes() === 0)).toBe(true)
  const quarter = spanNamed('90 days', NOW)
  expect(ticks(quarter).length).toBeLessThanOrEqual(9)
  expect(tickName(new Date(2026, 10, 3), quarter)).toBe('3 Nov')
  expect(spanWords(spanNamed('night', NOW))).toBe('26 Nov 22:00 – 27 Nov 10:00')
})

it('names, times and sizes are said shortly', () => {
  expect(shortJob('nightly.tidy.refunds', 'nightly.tidy')).toBe('tidy.refunds')
  expect(shortJob('nightly.tidy.refunds', 'refresh')).toBe('nightly.tidy.refunds')
  expect(clock(new Date(2026, 10, 27, 2, 5).toISOString(), NOW)).toBe('02:05')
  expect(clock(new Date(2026, 10, 26, 2, 5).toISOString(), NOW)).toBe('26 Nov 02:05')
  expect([size(999), size(8_140_000), took(0.067), took(5.64)]).toEqual([
    '999 B',
    '8.1 MB',
    '67 ms',
    '5.6 s',
  ])
  expect(stateOf('sunk').word).toBe('sunk')
})

it('how a dataset stands has a shape, a word and what it means', () => {
  const fact = { dataset: 1, state: 'stale', job: 'tides', run: RUN, at: null, filled_at: null }
  expect(standing(fact)).toMatchObject({ mark: '◌', text: 'stale', tone: 'warn' })
  expect(standing(fact).told).toContain('something upstream of it failed')
})

it('the road of a run places lanes beside one another and lights the whole way', () => {
  const at = (run: string, started_at: string) => ({
    ...row,
    run,
    started_at,
    ended_at: started_at,
  })
  const road = {
    run: 'b',
    lanes: [
      { offset: -1, runs: [at('a', '2026-11-27T01:00:00Z'), at('x', '2026-11-27T01:30:00Z')] },
      { offset: 0, runs: [at('b', '2026-11-27T02:00:00Z')] },
      { offset: 1, runs: [at('c', '2026-11-27T03:00:00Z')] },
    ],
    steps: [
      { writer: 'a', name: 't', dataset: 1, reader: 'b' },
      { writer: 'b', name: 'u', dataset: 2, reader: 'c' },
      { writer: 'x', name: 'v', dataset: 3, reader: 'c' },
    ],
    cut: false,
  }
  const { cards, height } = placeRoad(road)
  const middle = ((cards.get('a')?.y ?? 0) + (cards.get('x')?.y ?? 0)) / 2
  expect(cards.get('b')?.y).toBe(middle)
  expect((cards.get('c')?.x ?? 0) > (cards.get('b')?.x ?? 0)).toBe(true)
  expect(height).toBeGreaterThan(cards.get('x')?.y ?? 0)
  expect([...onTheWay(road, 'a')].sort()).toEqual(['a', 'b', 'c'])
  expect([...onTheWay(road, 'x')].sort()).toEqual(['c', 'x'])
  expect(spanOfRoad(road)).toEqual([Date.UTC(2026, 10, 27, 1), Date.UTC(2026, 10, 27, 3)])
})
