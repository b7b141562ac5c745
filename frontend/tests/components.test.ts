import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import { api, type Evidence, type Found, type LineageMap } from '../src/api/client'
import { facts } from './answers'
import { plugins } from './plugins'
import FindBox from '../src/features/find/FindBox.vue'
import FlowMap from '../src/features/overview/FlowMap.vue'
import HerePanel from '../src/features/lineage/HerePanel.vue'
import { useLineage } from '../src/features/lineage/useLineage'

const page = { template: '<main />' }
function router(): Router {
  return createRouter({
    history: createMemoryHistory(),
    routes: [
      { path: '/lineage/:dataset?', name: 'lineage', component: page },
      { path: '/catalog', name: 'catalog', component: page },
      { path: '/change', name: 'change', component: page },
      { path: '/runs/of/:dataset', name: 'runs of a dataset', component: page },
    ],
  })
}

describe('here', () => {
  const panel = () => {
    vi.spyOn(api, 'changeDatabases').mockResolvedValue([
      { system: 'postgres://islands:5432', database: 'strait', texts: 3 },
    ])
    return mount(HerePanel, {
      props: { facts, chosen: [100], lit: new Set<number>(), cursor: 'f101' },
      global: { plugins: plugins(router()) },
    })
  }

  it('says what is known of the asset, also what is doubtful', () => {
    const text = panel().text()
    for (const said of ['nobody named', 'not scanned', 'feeds itself', '1 place not fully read']) {
      expect(text).toContain(said)
    }
    expect(text).toContain('about 6\u202f722')
  })

  it('shows which columns are on the trail and where the cursor is', () => {
    const rows = panel().findAll('.row')
    expect(rows.map((row) => row.attributes('aria-pressed'))).toEqual(['true', 'false'])
    expect(rows[1]?.classes()).toContain('at')
  })

  it('follows a column, and adds it with shift', async () => {
    const shown = panel()
    await shown.findAll('.row')[1]?.trigger('click', { shiftKey: true })
    expect(shown.emitted('follow')).toEqual([[101, 28, true]])
  })
})

describe('the find box', () => {
  const hits: Found[] = ['gross', 'gross_share'].map((title, i) => ({
    kind: 'field',
    dataset: 28,
    field: 100 + i,
    title,
    path: 'islands:5432/strait.core.sailing_revenue',
    dataset_kind: 'table',
    why: 'column',
  }))
  let shown: VueWrapper
  let places: Router

  beforeEach(async () => {
    vi.useFakeTimers()
    places = router()
    shown = mount(FindBox, { global: { plugins: plugins(places) }, attachTo: document.body })
  })
  afterEach(() => {
    shown.unmount()
    vi.useRealTimers()
    vi.restoreAllMocks()
  })

  async function type(words: string) {
    await shown.find('input').setValue(words)
    await vi.advanceTimersByTimeAsync(200)
    await flushPromises()
  }

  it('lists hits and opens the chosen one by keyboard', async () => {
    vi.spyOn(api, 'find').mockResolvedValue(hits)
    await type('gross')
    expect(shown.findAll('[role=option]')).toHaveLength(2)
    await shown.find('input').trigger('keydown', { key: 'ArrowDown' })
    await shown.find('input').trigger('keydown', { key: 'Enter' })
    await flushPromises()
    expect(places.currentRoute.value.fullPath).toBe('/lineage/28?field=101')
  })

  it('says so when nothing is called so', async () => {
    vi.spyOn(api, 'find').mockResolvedValue([])
    await type('fog')
    expect(shown.text()).toContain('Nothing is called “fog”')
  })
})

it('draws places one behind the other, along the longest way', () => {
  const connection = (source: string, target: string) => ({ source, target, links: 3 })
  const shown = mount(FlowMap, {
    props: {
      connections: [
        connection('strait.landing', 'strait.core'),
        connection('strait.core', 'reports'),
        connection('strait.landing', 'reports'),
      ],
      systems: [],
    },
    global: { plugins: [router()] },
  })
  expect(shown.findAll('.place').map((place) => place.find('b').text())).toEqual([
    'landing',
    'core',
    'reports',
  ])
  expect(shown.findAll('path')).toHaveLength(3)
})

describe('the state of the lineage screen', () => {
  const crossing = (id: number, target: number) => ({ id, kind: 'value', target_field: target })
  const map = {
    focus: 28,
    fields: [],
    lanes: [],
    crossings: [crossing(7, 100), crossing(8, 5)],
    steps: [{ link: 6, links: [6, 7], source: '', target: '', place: '', line: 1 }],
  } as unknown as LineageMap

  async function at(path: string) {
    const places = router()
    vi.spyOn(api, 'lanes').mockResolvedValue(map)
    vi.spyOn(api, 'trail').mockResolvedValue(map)
    vi.spyOn(api, 'dataset').mockResolvedValue(facts)
    vi.spyOn(api, 'evidence').mockResolvedValue({ link: 6 } as Evidence)
    vi.spyOn(api, 'story').mockResolvedValue({ sentence: '', steps: [] })
    vi.spyOn(api, 'dependents').mockRejectedValue(new Error('not asked for here'))
    await places.push(path)
    let state: ReturnType<typeof useLineage> | undefined
    const shell = { setup: () => ((state = useLineage()), () => null) }
    mount(shell, { global: { plugins: plugins(places), config: { errorHandler: () => {} } } })
    await flushPromises()
    if (!state) throw new Error('not mounted')
    return { state, places }
  }
  afterEach(() => vi.restoreAllMocks())

  it('is all in the address', async () => {
    const { state } = await at(
      '/lineage/28?upstream=4&conditions=hidden&detail=datasets&view=table',
    )
    expect(api.lanes).toHaveBeenCalledWith(
      28,
      { upstream: 4, downstream: 2, conditions: false, named: [], shown: [] },
      expect.any(AbortSignal),
    )
    expect([state.detail.value, state.asTable.value, state.dock.value]).toEqual([
      'datasets',
      true,
      'closed',
    ])
  })

  it('does not take nonsense from the address', async () => {
    const { state } = await at('/lineage/28?upstream=fog&downstream=999&detail=fog')
    expect([state.upstream.value, state.downstream.value, state.detail.value]).toEqual([
      0,
      50,
      'columns',
    ])
  })

  it('changes the address, and leaves what is as usual out of it', async () => {
    const { state, places } = await at('/lineage/28')
    state.reach('upstream', 1)
    state.toggleConditions()
    await flushPromises()
    expect(places.currentRoute.value.query).toMatchObject({ conditions: 'hidden' })
    expect([state.conditions.value, state.strokes.value]).toEqual([false, 'hidden'])
    state.toggleConditions()
    await flushPromises()
    expect([state.conditions.value, state.strokes.value]).toEqual([true, 'full'])
    state.toggleConditions()
    await flushPromises()
    expect(places.currentRoute.value.query.conditions).toBeUndefined()
    expect(state.strokes.value).toBe('hairline')
  })
})
