import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter } from 'vue-router'
import { api, ApiError, type Proposal, type Schemas } from '../src/api/client'
import BaselinesView from '../src/features/change/BaselinesView.vue'
import PlanOfChange from '../src/features/change/PlanOfChange.vue'
import RowSample from '../src/features/change/RowSample.vue'
import TakeOver from '../src/features/change/TakeOver.vue'
import { plugins } from './plugins'

vi.setConfig({ testTimeout: 60_000 })
afterEach(() => vi.restoreAllMocks())

const page = { template: '<main />' }
const router = () =>
  createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/change/baselines', name: 'baselines', component: page },
      { path: '/change', name: 'change', component: page },
    ],
  })

const step = (title: string, more: Partial<Schemas['PlanStepFact']> = {}) => ({
  title,
  sql: '',
  database: '',
  before: [],
  together: [],
  undo: '',
  note: '',
  with_last: false,
  ...more,
})

it('a plan is asked for when it is opened, with its ways and what each step needs', async () => {
  const asked = vi.spyOn(api, 'planChange').mockResolvedValue([
    {
      name: 'step by step',
      why: 'Nothing fails in between.',
      steps: [
        step('Add it', {
          sql: 'alter table a add b int',
          database: 'strait',
          undo: 'alter table a drop b',
        }),
        step('Wait', { note: 'A night.' }),
      ],
    },
    { name: 'at once', why: 'Few steps.', steps: [step('Rename it', { together: ['a.sql'] })] },
  ])
  const shown = mount(PlanOfChange, {
    props: { sql: 'alter table a rename b to c', database: undefined },
    global: { plugins: plugins() },
  })
  await flushPromises()
  expect(asked).not.toHaveBeenCalled()
  const details = shown.find('details').element as HTMLDetailsElement
  details.open = true
  await shown.find('details').trigger('toggle')
  await flushPromises()
  expect(shown.findAll('ol > li')).toHaveLength(2)
  expect(shown.find('pre').text()).toBe('alter table a add b int')
  await shown.findAll('.routes button')[1]?.trigger('click')
  expect(shown.text()).toContain('with it, change 1 text')
  await shown.find('li .link.mono').trigger('click')
  expect(shown.emitted('open')).toEqual([['a.sql']])
})

const proposal: Proposal = {
  sql: '',
  stopped: [],
  late: [],
  delivers: [],
  edits: { a: 'select 2' },
}
const column = (name: string) => ({
  name,
  nulls_before: 0,
  nulls_after: 1,
  distinct_before: 2,
  distinct_after: 2,
})

it('rows stand side by side, columns that differ first, values as text', async () => {
  vi.spyOn(api, 'sampleChange').mockResolvedValue({
    columns: [column('port'), column('fare')],
    rows: [
      { mark: '≁', before: ['Aln', '1.500'], after: ['Aln', '2.00'] },
      { mark: '−', before: ['<img onerror=x>', null], after: null },
    ],
    keys: ['port'],
    rows_before: 2,
    rows_after: 1,
    more: false,
    failed_before: null,
    failed_after: null,
  })
  const shown = mount(RowSample, {
    props: { proposal, subject: 'mart.fares' },
    global: { plugins: plugins() },
  })
  ;(shown.find('details').element as HTMLDetailsElement).open = true
  await shown.find('details').trigger('toggle')
  await flushPromises()
  expect(shown.findAll('th').map((one) => one.text().split(' ')[0])).toEqual(['', 'fare', 'port'])
  expect(shown.find('del').text()).toBe('1.5')
  expect(shown.find('ins').text()).toBe('2')
  expect(shown.find('tr.gone').text()).toContain('<img onerror=x>')
  expect(shown.text()).toContain('2 → 1 rows')
})

const baseline = (id: number, name: string, isProtected: boolean): Schemas['BaselineFact'] => ({
  id,
  name,
  system: 'postgres://islands:5432',
  database: 'strait',
  at: '2026-11-20T00:00:00Z',
  protected: isProtected,
  made_at: '2026-11-20T00:00:00Z',
  made_by: 'quay',
  taken: 0,
  last_taken: null,
})

it('what is protected is taken over into only after a word of warning', async () => {
  vi.spyOn(api, 'baselines').mockResolvedValue([baseline(3, 'production', true)])
  const taken = vi.spyOn(api, 'takeOver').mockResolvedValue({ taken: 1, by_hand: 'drop table x' })
  const shown = mount(TakeOver, { props: { change: 7 }, global: { plugins: plugins(router()) } })
  await flushPromises()
  await shown.find('.link').trigger('click')
  expect(taken).not.toHaveBeenCalled()
  expect(shown.find('[role=alert]').text()).toContain('production is protected')
  await shown.find('[role=alert] .link').trigger('click')
  await flushPromises()
  expect(taken).toHaveBeenCalledWith(3, { change: 7, other: '0', confirmed: true })
  expect(shown.text()).toContain('run it by hand')
})

it('baselines are compared by their addresses, also with revisions, and what cannot be is said', async () => {
  vi.spyOn(api, 'baselines').mockResolvedValue([baseline(3, 'production', true)])
  vi.spyOn(api, 'repositories').mockResolvedValue([
    { id: 5, name: 'ferry', revision: 'main', branches: ['main', 'tides'], problem: null },
  ])
  vi.spyOn(api, 'takenOver').mockResolvedValue({ items: [], next: null })
  const compared = vi
    .spyOn(api, 'compareBaselines')
    .mockRejectedValue(new ApiError('there is no revision “x”', 422))
  const places = router()
  await places.push('/change/baselines?from=3&to=5@x')
  const target = document.createElement('div')
  target.id = 'page-title'
  document.body.append(target)
  const shown = mount(BaselinesView, { global: { plugins: plugins(places) } })
  await flushPromises()
  expect(compared.mock.lastCall?.slice(0, 2)).toEqual(['3', '5@x'])
  expect(shown.find('.compared [role=alert]').text()).toContain('there is no revision')
  const options = shown.findAll('select[aria-label=To] option').map((one) => one.text())
  expect(options).toEqual(['as it is now', 'production', 'ferry at main', 'ferry at tides', 'x'])
  target.remove()
})
