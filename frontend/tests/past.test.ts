import { flushPromises } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { api, type Schemas } from '../src/api/client'
import { asField, fromField, justBefore } from '../src/features/history/moments'
import { usePages } from '../src/shared/composables/usePages'
import { pictureOf } from '../src/shared/format/picture'
import * as answers from './answers'
import { close, openAt, quiet } from './opened'

vi.setConfig({ testTimeout: 60_000 })
const THEN = '2026-09-14T10:30:00.000Z'
const moments: Schemas['Moment'][] = [
  {
    at: THEN,
    happenings: [
      {
        kind: 'definition',
        words: 'defined otherwise in board.sql',
        run: null,
        state: null,
        definition: 7,
      },
    ],
  },
]
const difference: Schemas['Difference'] = {
  dataset: 28,
  since: THEN,
  until: null,
  datasets: [{ dataset: 40, name: 'mart.board', kind: 'view', went: 'came' }],
  datasets_total: 1,
  columns: [
    {
      dataset: 28,
      field: 100,
      name: 'core.sailing_revenue.gross',
      went: 'changed',
      before: 'integer',
      after: 'numeric',
    },
  ],
  columns_total: 1,
  links: [
    {
      link: 9,
      kind: 'value',
      source: 'core.fares.net',
      target: 'mart.board.revenue',
      label: 'renamed',
      went: 'went',
    },
  ],
  links_total: 300,
  definitions: [
    {
      key: 'k',
      place: 'board.sql',
      kind: 'file',
      went: 'changed',
      author: 'Revenue desk',
      revision: 'fa49dbf2c0',
      lines: [
        { mark: '-', before: 6, after: null, text: 'net as revenue' },
        { mark: '+', before: null, after: 6, text: '<img onerror=x>' },
      ],
      cut: false,
    },
  ],
  definitions_total: 1,
  looked_at: 11,
  within: 11,
  version: 5,
}

beforeEach(() => {
  quiet()
  vi.spyOn(api, 'runStates').mockResolvedValue([])
  vi.spyOn(api, 'dataset').mockResolvedValue(answers.facts)
  vi.spyOn(api, 'lanes').mockResolvedValue(answers.map)
  vi.spyOn(api, 'evidence').mockResolvedValue(answers.evidence)
  vi.spyOn(api, 'story').mockResolvedValue(answers.story)
  vi.spyOn(api, 'datasetHistory').mockResolvedValue({ items: moments, next: null })
  vi.spyOn(api, 'difference').mockResolvedValue(difference)
})
afterEach(close)

async function open(path: string) {
  const { page, router } = await openAt(path)
  const settled = async () => {
    await flushPromises()
    await flushPromises()
  }
  const press = async (words: string, within = 'button') => {
    await page
      .findAll(within)
      .find((one) => one.text() === words)
      ?.trigger('click')
    await settled()
  }
  return { page, router, press, settled }
}
const query = (router: { currentRoute: { value: { query: object } } }) =>
  router.currentRoute.value.query

describe('the past of what is here', () => {
  it('opens a moment, keeps it open, and holds it against another', async () => {
    const { page, router, press } = await open('/lineage/28?dock=past')
    await press('14 Sept 10:30', '.past .at')
    expect(query(router)).toMatchObject({ at: THEN, moment: [THEN] })
    expect(page.find('.moments').text()).toContain('14 Sept 10:30')
    await press('now', '.moments button')
    expect(query(router)).toMatchObject({ moment: [THEN] })
    expect(query(router)).not.toHaveProperty('at')
    // Whichever is chosen first, the earlier one is what the later one is held against.
    await press('compare with 14 Sept 10:30')
    expect(query(router)).toMatchObject({ against: THEN })
    expect(query(router)).not.toHaveProperty('at')
    await press('leave')
    await press('14 Sept 10:30', '.moments button')
    await press('compare with now')
    expect(query(router)).toMatchObject({ against: THEN, moment: [THEN] })
    expect(query(router)).not.toHaveProperty('at')
    await page.find('.moments .x').trigger('click')
    await flushPromises()
    expect(query(router)).not.toHaveProperty('against')
    expect(page.find('.moments').exists()).toBe(false)
  })

  it('says what a moment has changed: it against the one just before', async () => {
    const { page, router, press } = await open('/lineage/28?dock=past')
    await press('what it changed')
    expect(query(router)).toMatchObject({ at: THEN, against: '2026-09-14T10:29:59.999Z' })
    expect(api.difference).toHaveBeenCalledWith(
      28,
      expect.objectContaining({ since: '2026-09-14T10:29:59.999Z', as_of: THEN }),
      expect.anything(),
    )
    const text = page.find('.difference').text()
    expect(text).toContain('1 dataset, 1 column, 300 links, 1 definition')
    expect(text).toContain('integer became numeric')
    expect(text).toContain('the first 1 of 300 are shown')
    // What texts say stays text.
    expect(page.find('.difference .new span').text()).toBe('<img onerror=x>')
    expect(page.find('.difference img').exists()).toBe(false)
  })

  it('shows the code of what went as it was then', async () => {
    const { page, router, settled } = await open(`/lineage/28?against=${THEN}`)
    await page.findAll('.difference .row').at(-1)?.trigger('click')
    await settled()
    expect(query(router)).toMatchObject({ link: '9', linkat: THEN })
    expect(api.evidence).toHaveBeenLastCalledWith(9, expect.anything(), THEN)
  })

  it('lays two roads side by side, each with its own answers', async () => {
    const { page } = await open(`/lineage/28?against=${THEN}&together=both`)
    expect(page.findAll('.both .here')).toHaveLength(2)
    const times = vi.mocked(api.lanes).mock.calls.map(([, asked]) => asked.as_of)
    expect(new Set(times)).toEqual(new Set([undefined, THEN]))
    expect(page.findAll('.both h2').map((one) => one.text())).toContain('14 Sept 10:30')
  })

  it('says that nothing is another where nothing is', async () => {
    vi.spyOn(api, 'difference').mockResolvedValue({
      ...difference,
      ...{ datasets: [], columns: [], links: [], definitions: [] },
      ...{ datasets_total: 0, columns_total: 0, links_total: 0, definitions_total: 0 },
    })
    const { page } = await open(`/lineage/28?against=${THEN}`)
    expect(page.find('.difference .said').text()).toMatch(/^Nothing is another between/)
  })
})

describe('times in fields', () => {
  it('are those of the viewer, to the minute, and come back as they were', () => {
    expect(fromField(asField('2026-09-14T10:30:00.000Z'))).toBe('2026-09-14T10:30:00.000Z')
    expect(asField(undefined)).toBe('')
    expect(fromField('some day')).toBeNull()
    expect(justBefore('2026-09-14T10:30:00.000Z')).toBe('2026-09-14T10:29:59.999Z')
  })
})

describe('a list that comes page by page', () => {
  it('goes on after its first page, and begins anew with another one', async () => {
    const first = ref<{ items: number[]; next?: string | null } | null>({
      items: [1, 2],
      next: 'a',
    })
    const pages: Record<string, { items: number[]; next: string | null }> = {
      a: { items: [3], next: 'b' },
      b: { items: [4], next: null },
    }
    const list = usePages(first, (cursor) => Promise.resolve(pages[cursor] ?? { items: [] }))
    await list.more()
    await list.more()
    await list.more()
    expect(list.items.value).toEqual([1, 2, 3, 4])
    expect(list.next.value).toBeNull()
    first.value = { items: [9], next: null }
    await flushPromises()
    expect(list.items.value).toEqual([9])
  })

  it('drops a page that comes for a list that is no longer shown, and says what was refused', async () => {
    const first = ref<{ items: number[]; next?: string | null } | null>({ items: [1], next: 'a' })
    let give: (page: { items: number[]; next: null }) => void = () => {}
    const list = usePages(first, () => new Promise((resolve) => (give = resolve)))
    const waiting = list.more()
    first.value = { items: [5], next: 'b' }
    await flushPromises()
    give({ items: [2], next: null })
    await waiting
    expect(list.items.value).toEqual([5])
    expect(list.next.value).toBe('b')
    const refusing = usePages(first, () => Promise.reject(new Error('fog')))
    await refusing.more()
    expect(refusing.refused.value).toBe('fog')
  })
})

describe('a picture', () => {
  it('is SVG with the title, and what is written stays text', () => {
    const box = document.createElement('div')
    box.innerHTML = '<svg><text>a &lt;b&gt; &amp; c</text><line x1="0" y1="0" x2="5" y2="5"/></svg>'
    document.body.append(box)
    const picture = pictureOf(box, 'Runs <1> & "2"', new Date('2026-11-27T10:00:00Z'))
    const read = new DOMParser().parseFromString(picture, 'image/svg+xml')
    expect(read.querySelector('parsererror')).toBeNull()
    expect(read.querySelector('title')?.textContent).toBe('Runs <1> & "2"')
  })
})
