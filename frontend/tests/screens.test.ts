import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { h, type Component } from 'vue'
import { api, ApiError } from '../src/api/client'
import ConsumerForm from '../src/features/lineage/ConsumerForm.vue'
import DeclareForm from '../src/features/lineage/DeclareForm.vue'
import ExportMenu from '../src/features/lineage/ExportMenu.vue'
import JoinForm from '../src/features/lineage/JoinForm.vue'
import StandingFacts from '../src/features/lineage/StandingFacts.vue'
import DeclarationList from '../src/features/sources/DeclarationList.vue'
import * as answers from './answers'
import { close, openAt, quiet } from './opened'

const SIZES = [
  ['offsetHeight', 600],
  ['offsetWidth', 1280],
  ['clientHeight', 600],
  ['clientWidth', 1280],
] as const

beforeEach(() => {
  // Nothing has a size here; what is virtualised shows rows only where there is room.
  for (const [name, size] of SIZES) {
    Object.defineProperty(HTMLElement.prototype, name, { configurable: true, get: () => size })
  }
  quiet()
  vi.spyOn(api, 'runStates').mockResolvedValue([])
  vi.spyOn(api, 'runs').mockResolvedValue(answers.noRuns)
  vi.spyOn(api, 'overview').mockResolvedValue(answers.overview)
  vi.spyOn(api, 'find').mockResolvedValue([answers.hit])
  vi.spyOn(api, 'catalog').mockResolvedValue(answers.page)
  vi.spyOn(api, 'dataset').mockResolvedValue(answers.facts)
  vi.spyOn(api, 'lanes').mockResolvedValue(answers.map)
  vi.spyOn(api, 'trail').mockResolvedValue(answers.trail)
  vi.spyOn(api, 'evidence').mockResolvedValue(answers.evidence)
  vi.spyOn(api, 'story').mockResolvedValue(answers.story)
  vi.spyOn(api, 'dependents').mockResolvedValue(answers.dependents)
  vi.spyOn(api, 'sources').mockResolvedValue([answers.source])
  vi.spyOn(api, 'ingestions').mockResolvedValue([answers.ingestion])
  vi.spyOn(api, 'unread').mockResolvedValue(answers.unread)
  vi.spyOn(api, 'sourceKinds').mockResolvedValue(answers.kinds)
  vi.spyOn(api, 'declarations').mockResolvedValue([answers.declaration])
  vi.spyOn(api, 'exportFormats').mockResolvedValue([
    { name: 'csv', title: 'CSV', about: 'a row for each link', ending: 'csv' },
  ])
})

afterEach(close)

/** Mount a part of a screen by itself. */
async function part(component: Component, props: Record<string, unknown>) {
  const { page } = await openAt('/lineage', { render: () => h(component, props) })
  return page
}

it('the overview says what is loaded and what needs a look', async () => {
  const { page } = await openAt('/overview')
  const text = page.text()
  for (const said of [
    'strait.core → reports: 4 columns',
    'Board pack',
    'core/tides.sql',
    'expected a table',
  ]) {
    expect(text).toContain(said)
  }
})

it('what the server refuses is said where it was asked for', async () => {
  vi.spyOn(api, 'overview').mockRejectedValue(new ApiError('the store is being migrated', 503))
  const { page } = await openAt('/overview')
  expect(page.find('[role=alert]').text()).toContain('the store is being migrated')
})

it('the catalog lists datasets, and a facet goes into the address', async () => {
  const { page, router } = await openAt('/catalog?q=board')
  expect(api.catalog).toHaveBeenCalledWith(
    expect.objectContaining({ q: 'board' }),
    expect.any(AbortSignal),
  )
  expect(page.text()).toContain('Board pack')
  expect(page.html()).toContain('8 upstream')
  const facet = page.findAll('input[type=checkbox]').find((one) => one.exists())
  await facet?.setValue(true)
  await flushPromises()
  expect(router.currentRoute.value.query.kind).toContain('report')
})

it('a place that is not there says so', async () => {
  const { page } = await openAt('/harbour')
  expect(page.find('main').text()).toMatch(/no|not/i)
})

it('the lineage screen begins at a report', async () => {
  const { page } = await openAt('/lineage')
  expect(page.text()).toContain('8 datasets upstream')
  expect(page.find('a[href="/lineage/40"]').exists()).toBe(true)
})

it('lanes show what lies upstream and downstream, and reach further when asked', async () => {
  const { page, router } = await openAt('/lineage/28')
  const text = page.text()
  for (const said of ['core.tickets', 'Board pack', 'fare', '2 upstream', '2 downstream']) {
    expect(text).toContain(said)
  }
  await page.find('button[aria-label="One hop more upstream"]').trigger('click')
  await flushPromises()
  expect(router.currentRoute.value.query.upstream).toBe('3')
  expect(api.lanes).toHaveBeenLastCalledWith(
    28,
    { upstream: 3, downstream: 2, conditions: true, named: [], shown: [] },
    expect.any(AbortSignal),
  )
})

it('a trail shows its code with the characters that prove it', async () => {
  const { page } = await openAt('/lineage/28?field=100')
  expect(page.text()).toContain('Trail of')
  expect(page.find('.code').text()).toContain('select sum(t.fare)')
  expect(page.findAll('.code mark, .code .link').map((one) => one.text())).toContain('t.fare')
})

it('what depends on a field is listed with its path', async () => {
  const { page } = await openAt('/lineage/28?field=100&dock=depends')
  expect(page.text()).toContain('Gross by month')
  expect(page.text()).toContain('Quay desk')
})

it('the same can be read as a table, and filtered', async () => {
  const { page } = await openAt('/lineage/28?view=table')
  expect(page.find('.table .bar').text()).toContain('2 links')
  await page.find('input[aria-label=Filter]').setValue('fare')
  await flushPromises()
  expect(page.find('.table .bar').text()).toContain('1 link')
})

it('a crowded lane says how much of it is shown, and shows more, or what has a name', async () => {
  const crowd = { ...answers.map.lanes[0]!, total: 206 }
  const bundle = { source_dataset: 5, target_dataset: 28, values: 40, links: 42 }
  const crowded = {
    ...answers.map,
    lanes: [crowd, ...answers.map.lanes.slice(1)],
    bundles: [bundle],
  }
  vi.spyOn(api, 'lanes').mockResolvedValue(crowded)
  const { page } = await openAt('/lineage/28')
  expect(page.find('.lane h2').text()).toMatch(/1 of 206/)
  await page.find('.lane .rest button').trigger('click')
  await flushPromises()
  const part = () => vi.mocked(api.lanes).mock.lastCall?.[1]
  expect(part()?.shown).toEqual(['-1:13'])
  await page.find('.lane .filter').setValue('tickets')
  await vi.waitFor(() => expect(part()?.named).toEqual(['-1:tickets']))
})

it('links that are summed are said beside the table of those that are not', async () => {
  const bundle = { source_dataset: 5, target_dataset: 28, values: 40, links: 42 }
  vi.spyOn(api, 'lanes').mockResolvedValue({ ...answers.map, bundles: [bundle] })
  const { page } = await openAt('/lineage/28?view=table')
  expect(page.find('.table .bar').text()).toContain('42 further links')
})

it('what depends on a field comes a page at a time, and all of it as a file', async () => {
  const first = { ...answers.dependents, total: 250, next: 'MTAw', groups_total: 9 }
  const more = { ...answers.dependents.items[0]!, field: 4001, name: 'Net by month' }
  vi.spyOn(api, 'dependents').mockImplementation((_, asked) =>
    Promise.resolve(asked.cursor ? { ...first, items: [more], next: null } : first),
  )
  const { page } = await openAt('/lineage/28?field=100&dock=depends')
  await vi.waitFor(() => expect(page.find('.depends').text()).toContain('1 of 250 in 9 datasets'))
  expect(page.find('.depends a[download]').attributes('href')).toContain('/dependents/all?form=csv')
  await page.find('.depends .note button').trigger('click')
  await flushPromises()
  expect(page.findAll('[data-depends]').map((row) => row.attributes('data-depends'))).toEqual([
    '4000',
    '4001',
  ])
  await page.find('.depends input').setValue('net')
  await vi.waitFor(() => expect(vi.mocked(api.dependents).mock.lastCall?.[1].q).toBe('net'))
})

it('a wide dataset shows its further columns when asked', async () => {
  const wide = { ...answers.facts, columns_total: 3 }
  const last = { ...answers.facts.columns[0]!, id: 199, name: 'surcharge' }
  vi.spyOn(api, 'dataset').mockImplementation((_, __, from = 0) =>
    Promise.resolve(from ? { ...wide, columns: [last] } : wide),
  )
  const { page } = await openAt('/lineage/28')
  expect(page.find('.here').text()).toContain('2 of 3 shown')
  await page.find('.here .columns .link').trigger('click')
  await flushPromises()
  expect(page.find('.here').text()).toContain('surcharge')
  expect(page.find('.here').text()).not.toContain('of 3 shown')
})

it('a facet with many values is searched', async () => {
  const page_ = { ...answers.page, facet_totals: { ...answers.page.facet_totals, owner: 312 } }
  vi.spyOn(api, 'catalog').mockResolvedValue(page_)
  const facet = vi
    .spyOn(api, 'facet')
    .mockResolvedValue({ values: [{ value: 'Tide desk', count: 4 }], total: 1 })
  const { page } = await openAt('/catalog')
  await page.find('input[aria-label="Search in Owner"]').setValue('tide')
  await vi.waitFor(() => expect(page.find('aside').text()).toContain('Tide desk'))
  expect(facet.mock.lastCall?.slice(0, 2)).toMatchObject(['owner', { values: 'tide' }])
})

it('a dataset that is gone is said, with a way out', async () => {
  vi.spyOn(api, 'lanes').mockRejectedValue(new ApiError('there is no dataset 9', 404))
  const { page } = await openAt('/lineage/9')
  expect(page.find('[role=alert]').text()).toContain('there is no dataset 9')
})

it('a question mark opens the keys', async () => {
  const { page } = await openAt('/lineage/28')
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: '?', bubbles: true }))
  await flushPromises()
  expect(document.body.textContent).toContain('one hop more or less upstream')
  expect(page.exists()).toBe(true)
})

it('sources show their coverage, their past, and what was not understood', async () => {
  const { page, router } = await openAt('/sources')
  await flushPromises()
  expect(router.currentRoute.value.params.source).toBe('1')
  const text = page.text()
  for (const said of ['pipelines', 'core/tides.sql', 'is no SQL']) expect(text).toContain(said)
})

it('a source that is refused keeps what was written', async () => {
  vi.spyOn(api, 'trySource').mockRejectedValue(
    new ApiError('location: there is no such folder', 422),
  )
  const { page } = await openAt('/sources/add')
  expect(page.text()).toContain('SQL repository')
  await page
    .findAll('button, label, li')
    .find((one) => one.text().includes('SQL repository'))
    ?.trigger('click')
  await flushPromises()
  await page.find('input[type=text]').setValue('/srv/nowhere')
  await page
    .findAll('button')
    .find((one) => /try/i.test(one.text()))
    ?.trigger('click')
  await flushPromises()
  expect(api.trySource).toHaveBeenCalledWith({ kind: 'repository', location: '/srv/nowhere' }, null)
  expect(page.text()).toContain('there is no such folder')
})

it('a graph is exported as it is shown, in the formats that the server has', async () => {
  const of = { facts: answers.facts, fields: [] as number[], upstream: 3, downstream: 50 }
  const menu = await part(ExportMenu, of)
  await menu.find('button').trigger('click')
  await flushPromises()
  const hrefs = () =>
    [...document.querySelectorAll('a[download]')].map((link) => link.getAttribute('href'))
  await vi.waitFor(() => expect(hrefs().length).toBeGreaterThan(1))
  expect(hrefs()).toEqual([
    '/api/v1/datasets/28/lanes/picture?upstream=3&downstream=50',
    '/api/v1/export/csv?around=28&upstream=3&downstream=50',
  ])
  await menu.setProps({ fields: [100, 101] })
  expect(hrefs()[0]).toBe('/api/v1/trail/picture?field=100&field=101')
})

it('a declaration is taken back, and the list is asked for again', async () => {
  vi.spyOn(api, 'takeBack').mockResolvedValue(undefined)
  const list = await part(DeclarationList, {})
  expect(list.text()).toContain('they print it each morning')
  vi.spyOn(api, 'declarations').mockResolvedValue([])
  await list.find('button').trigger('click')
  await flushPromises()
  expect(api.takeBack).toHaveBeenCalledWith(2)
  await vi.waitFor(() => expect(list.text()).toContain('Nothing is declared'))
})

it('a consumer is declared with its owner and why', async () => {
  vi.spyOn(api, 'declareConsumer').mockResolvedValue({ id: 3 })
  const form = await part(ConsumerForm, { facts: answers.facts })
  const [name, owner] = form.findAll('input[type=text], input:not([type])')
  await name?.setValue('gate-scans')
  await flushPromises()
  expect((owner?.element as HTMLInputElement | undefined)?.value).toBe('Quay desk')
})

it('a link is declared from here to a dataset that is looked for', async () => {
  const form = await part(DeclareForm, { facts: answers.facts })
  await form.find('input').setValue('tickets')
  await vi.waitFor(() => expect(api.find).toHaveBeenCalled())
  await vi.waitFor(() => expect(form.text()).toContain('core.tickets'))
})

it('two datasets are joined only when one was chosen', async () => {
  vi.spyOn(api, 'join').mockResolvedValue({ id: 1 })
  const form = await part(JoinForm, { facts: answers.facts })
  await form.find('input').setValue('tickets')
  await vi.waitFor(() => expect(form.text()).toContain('core.tickets'))
  expect(api.join).not.toHaveBeenCalled()
})

it('what stands behind a dataset is told, and an alias can be taken back', async () => {
  vi.spyOn(api, 'part').mockResolvedValue(undefined)
  const known = {
    id: 4,
    namespace: 'postgres://islands:5432',
    name: 'strait.landing.revenue_copy',
    origin: 'person',
    who: 'local user',
    since: '2026-11-20T08:00:00Z',
    note: null,
  }
  const facts = { ...answers.facts, known_as: [known] }
  const shownFacts = await part(StandingFacts, { facts })
  expect(shownFacts.text()).toContain('revenue_copy')
})
