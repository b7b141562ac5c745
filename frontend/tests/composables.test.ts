import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, expect, it, vi } from 'vitest'
import { computed, nextTick, ref, shallowRef, type Ref } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import { ApiError, type LineageMap } from '../src/api/client'
import type { Column } from '../src/features/lineage/geometry'
import type { LaneLayout } from '../src/features/lineage/layout'
import { useAddress } from '../src/features/lineage/useAddress'
import { useAnchors, type Measured } from '../src/features/lineage/useAnchors'
import { useColumns } from '../src/features/lineage/useColumns'
import type { LineageState } from '../src/features/lineage/useLineage'
import { useSideways } from '../src/features/lineage/useSideways'
import { useStops } from '../src/features/lineage/useStops'
import { useRails } from '../src/features/lineage/useRails'
import { useWires } from '../src/features/lineage/useWires'
import { useTyped } from '../src/shared/composables/useTyped'
import { useIngestion } from '../src/features/sources/useIngestion'
import { useAttempt } from '../src/shared/composables/useAttempt'
import * as answers from './answers'

afterEach(() => vi.unstubAllGlobals())

/** A state as the lineage screen has it, with everything settled. */
function state(map: LineageMap = answers.map, detail: 'columns' | 'datasets' = 'columns') {
  return {
    map: { data: ref(map) },
    facts: { data: ref(answers.facts) },
    detail: ref(detail),
    conditions: ref(true),
    shownLink: ref<number | null>(null),
    fields: ref(map.fields),
    unfolded: new Set<number>(),
    closed: new Set<string>(),
    filters: new Map<number, string>(),
    story: { data: ref(map.fields.length ? answers.story : null) },
    panel: ref(false),
    byHand: ref({ open: new Set<number>(), folded: new Set<number>() }),
  } as unknown as LineageState
}

/** All pieces of the map of lanes, put together as the map does. */
function pieces(of = state(), width = 1280, height = 700) {
  const size = { width: ref(width), height: ref(height) }
  const here = shallowRef<Measured | null>(null)
  const columns = useColumns(of, size.width)
  const rails = useRails(of, columns)
  const road = { folded: columns.folded, panel: columns.panel, rails: rails.room }
  const anchors = useAnchors(of, columns.lanes, size, here, road)
  const wires = useWires(of, columns, rails, anchors, size.height)
  const stops = useStops(of, columns.lanes, anchors.anchors, columns)
  return { ...columns, ...anchors, ...wires, ...rails, stops, here, size }
}

const measured = (): Measured => ({
  place: () => ({
    top: 300,
    bottom: 600,
    index: new Map([
      [100, 0],
      [101, 1],
    ]),
  }),
  rowHeight: 24,
  reveal: () => {},
})

it('lanes stand in their order, the one that is asked about is the widest', () => {
  const { lanes, columns, gutter, trail } = pieces()
  expect(lanes.value.map((lane) => lane.offset)).toEqual([-1, 0, 1])
  expect(columns.value.map((one) => one.width)).toEqual([236, 282, 236])
  expect([gutter.value, trail.value]).toEqual([78, false])
})

it('on a trail lanes stand closer, as nothing is written between them', () => {
  const { gutter, trail } = pieces(state(answers.trail))
  expect([gutter.value, trail.value]).toEqual([44, true])
})

it('the canvas is as wide as all lanes', () => {
  const { canvasWidth, columns } = pieces(state(), 500)
  expect(canvasWidth.value).toBe((columns.value.at(-1)?.right ?? 0) + 20)
  expect(canvasWidth.value).toBeGreaterThan(500)
})

it('what lies beyond is said at the outermost lanes only, and on no trail', () => {
  const { strip } = pieces()
  expect(strip(-1, 0)).toEqual(answers.map.upstream)
  expect(strip(0, 1)).toBe(null)
  expect(strip(1, 2)).toBe(null)
  expect(pieces(state(answers.trail)).strip(-1, 0)).toBe(null)
})

it('a field has its place in its lane; a dataset stands for what is folded or left out', () => {
  const { anchorOf } = pieces()
  const fare = anchorOf(5, 500)
  expect(fare?.lane).toBe(0)
  expect(fare?.hidden).toBe(false)
  expect(anchorOf(5, 501)!.y - fare!.y).toBe(22)
  expect(anchorOf(5, 999)).toEqual(anchorOf(5, null))
  expect(anchorOf(77, 999)).toBeUndefined()
})

it('in the view of datasets every wire ends at a dataset', () => {
  const { anchorOf } = pieces(state(answers.map, 'datasets'))
  expect(anchorOf(5, 500)).toEqual(anchorOf(5, null))
})

it('what is scrolled away stands at the edge of its lane', async () => {
  const { anchorOf, scrolls } = pieces()
  const before = anchorOf(5, 500)!.y
  scrolls.set(-1, 30)
  await nextTick()
  expect(anchorOf(5, 500)!.y).toBe(before - 30)
  scrolls.set(-1, 500)
  await nextTick()
  expect(anchorOf(5, 500)).toEqual({ lane: 0, y: 39, hidden: true })
})

it('the panel in the middle is measured', async () => {
  const { anchorOf, here, hereScroll } = pieces()
  expect(anchorOf(28, 100)).toBeUndefined()
  here.value = measured()
  await nextTick()
  expect(anchorOf(28, 100)).toEqual({ lane: 1, y: 312, hidden: false })
  expect(anchorOf(28, 101)).toEqual({ lane: 1, y: 336, hidden: false })
  hereScroll.value = 30
  await nextTick()
  expect(anchorOf(28, 100)).toEqual({ lane: 1, y: 300, hidden: true })
})

it('a wire leads from where the source stands to where the target does', async () => {
  const { columns, here, wires } = pieces()
  here.value = measured()
  await nextTick()
  const value = wires.value.find((wire) => wire.link.id === 7)!
  expect(value.value).toBe(true)
  expect(value.leftwards).toBe(false)
  expect(value.x).toBe(columns.value[1]!.left - 3)
  expect(value.path.startsWith(`M${columns.value[0]!.right + 3} `)).toBe(true)
})

it('conditions are drawn below values, and what is bright on top', async () => {
  const of = state()
  const { here, hovered, wires } = pieces(of)
  here.value = measured()
  await nextTick()
  expect(wires.value.map((wire) => wire.link.id)).toEqual([8, 7])
  hovered.value = 501
  await nextTick()
  const [condition, value] = wires.value
  expect([condition!.bright, condition!.faint]).toEqual([true, false])
  expect([value!.bright, value!.faint]).toEqual([false, true])
})

it('what the pointer is on lights up what it touches; a trail is lit by itself', async () => {
  const { hovered, lit } = pieces()
  expect([...lit.value]).toEqual([])
  hovered.value = 500
  await nextTick()
  expect([...lit.value]).toEqual([500, 100])
  expect([...pieces(state(answers.trail)).lit.value]).toEqual([500, 100])
})

it('a link is labelled by what does it; on a trail by what happens', async () => {
  const lanes = pieces()
  lanes.here.value = measured()
  await nextTick()
  expect(lanes.labels.value.map((label) => label.text)).toEqual(['nightly'])
  const trail = pieces(state(answers.trail))
  trail.here.value = measured()
  await nextTick()
  expect(trail.labels.value).toEqual([])
  const card = trail.lanes.value[1]!.items[0]
  const rows = card?.type === 'card' ? card.rows : []
  const row = rows.find((one) => one.field.id === 100)
  expect(row!.operations.map((one) => [one.step, one.lines])).toEqual([[0, ['sum(t.fare)']]])
})

it('places of files are no labels', () => {
  const [link] = answers.map.crossings
  const map = { ...answers.map, crossings: [{ ...link!, by: 'core/revenue.sql' }] }
  expect(pieces(state(map)).labels.value).toEqual([])
})

it('without conditions only values are drawn', () => {
  const of = state()
  ;(of.conditions as Ref<boolean>).value = false
  expect(pieces(of).links.value.map((link) => link.id)).toEqual([7])
})

it('the arrows stop at titles and at fields, and in the middle at columns', () => {
  const { stops } = pieces()
  expect(stops.value.map((lane) => lane.map((stop) => stop.field))).toEqual([
    [null, 500, 501],
    [100, 101],
    [null, 4000],
  ])
  const [title, first, second] = stops.value[0]!
  expect([first!.y - title!.y, second!.y - first!.y]).toEqual([42, 22])
  expect(title!.dataset).toBe(5)
})

it('a lane that is out of sight is scrolled to, with a margin', () => {
  const columns = ref<Column[]>([
    { offset: -1, left: 20, width: 200, right: 220 },
    { offset: 0, left: 300, width: 280, right: 580 },
    { offset: 1, left: 660, width: 200, right: 860 },
  ])
  const scrolled: ScrollToOptions[] = []
  const box = {
    scrollLeft: 0,
    clientWidth: 600,
    scrollTo: (to: ScrollToOptions) => scrolled.push(to),
    scrollBy: (by: ScrollToOptions) => scrolled.push(by),
  }
  const sideways = useSideways(ref(box as unknown as HTMLElement), columns, ref(600))
  sideways.showLane(1)
  expect(scrolled).toEqual([])
  sideways.showLane(2, false)
  expect(scrolled.pop()).toEqual({ left: 860 - 600 + 120, behavior: 'auto' })
  box.scrollLeft = 300
  sideways.showLane(0)
  expect(scrolled.pop()).toEqual({ left: -100, behavior: 'smooth' })
  sideways.centre()
  expect(box.scrollLeft).toBe(140)
  sideways.slide(-1)
  expect(scrolled.pop()).toEqual({ left: -360, behavior: 'smooth' })
  sideways.scrolled.value = 200
  expect(sideways.outside.value).toEqual({ upstream: 1, downstream: 0 })
  sideways.showLane(9)
  expect(scrolled).toEqual([])
})

/** The address of the lineage screen at a path. */
async function address(path: string) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [{ path: '/lineage/:dataset?', name: 'lineage', component: { template: '<main />' } }],
  })
  await router.push(path)
  let made: ReturnType<typeof useAddress> | undefined
  mount({ setup: () => ((made = useAddress()), () => null) }, { global: { plugins: [router] } })
  if (!made) throw new Error('not mounted')
  return { at: made, now: () => router.currentRoute.value }
}

it('opening another dataset keeps how far one sees, and lets go of the field', async () => {
  const { at, now } = await address('/lineage/28?field=100&upstream=4&detail=datasets&dock=code')
  at.open(5)
  await flushPromises()
  expect(now().params.dataset).toBe('5')
  expect(now().query).toEqual({ upstream: '4', detail: 'datasets' })
  at.open(6, false)
  await flushPromises()
  expect(now().query).toEqual({ detail: 'datasets' })
})

it('following a field begins its trail; again it ends; with shift there are several', async () => {
  const { at, now } = await address('/lineage/28?upstream=4')
  at.follow(100, 28)
  await flushPromises()
  expect(now().query).toEqual({ field: ['100'], upstream: '4' })
  at.follow(101, 28, true)
  await flushPromises()
  expect(at.fields.value).toEqual([100, 101])
  at.follow(100, 28, true)
  await flushPromises()
  expect(at.fields.value).toEqual([101])
  at.follow(101, 28)
  await flushPromises()
  expect(at.onTrail.value).toBe(false)
})

it('following a field of another dataset goes there', async () => {
  const { at, now } = await address('/lineage/28?field=100&conditions=hidden')
  at.follow(500, 5)
  await flushPromises()
  expect(now().params.dataset).toBe('5')
  expect(now().query).toEqual({ field: '500', conditions: 'hidden' })
})

it('reaches as far as there is, and no less than nothing', async () => {
  const { at, now } = await address('/lineage/28')
  at.reach('downstream', 'all')
  await flushPromises()
  expect([at.downstream.value, now().query.downstream]).toEqual([50, '50'])
  at.reach('upstream', -1)
  await flushPromises()
  at.reach('upstream', -1)
  await flushPromises()
  at.reach('upstream', -1)
  await flushPromises()
  expect(at.upstream.value).toBe(0)
  at.reach('upstream', 2)
  await flushPromises()
  expect(now().query.upstream).toBeUndefined()
})

it('the dock follows what is chosen, unless somebody has closed it', async () => {
  expect((await address('/lineage/28')).at.dock.value).toBe('closed')
  expect((await address('/lineage/28?link=7')).at.dock.value).toBe('code')
  expect((await address('/lineage/28?field=100&dock=closed')).at.dock.value).toBe('closed')
  const { at } = await address('/lineage/28?field=100&link=7&dock=depends')
  expect(at.dock.value).toBe('depends')
  at.show(9)
  await flushPromises()
  expect([at.link.value, at.dock.value]).toEqual([9, 'code'])
  at.leave()
  await flushPromises()
  expect([at.link.value, at.onTrail.value, at.dock.value]).toEqual([null, false, 'closed'])
})

it('an attempt is made once at a time, and says why it was refused', async () => {
  const { attempt, busy, problem } = useAttempt()
  let refuse: (reason: unknown) => void = () => {}
  const first = attempt(() => new Promise((_, reject) => (refuse = reject)))
  expect(busy.value).toBe(true)
  expect(await attempt(() => Promise.resolve())).toBe(false)
  refuse(new ApiError('there is no folder', 422))
  expect(await first).toBe(false)
  expect([busy.value, problem.value]).toEqual([false, 'there is no folder'])
  expect(await attempt(() => Promise.resolve())).toBe(true)
  expect(problem.value).toBe(null)
  await expect(attempt(() => Promise.reject(new TypeError('ours')))).rejects.toThrow('ours')
})

it('an ingestion is followed until it is over', () => {
  const streams: { url: string; closed: boolean; tell: (event: string, data?: unknown) => void }[] =
    []
  class Stream {
    heard = new Map<string, (event: unknown) => void>()
    closed = false
    constructor(readonly url: string) {
      streams.push(this as never)
    }
    addEventListener(name: string, act: (event: unknown) => void) {
      this.heard.set(name, act)
    }
    tell(name: string, data?: unknown) {
      this.heard.get(name)?.({ data: JSON.stringify(data) })
    }
    close() {
      this.closed = true
    }
  }
  vi.stubGlobal('EventSource', Stream)
  const over = vi.fn()
  let made: ReturnType<typeof useIngestion> | undefined
  const shown = mount({ setup: () => ((made = useIngestion(over)), () => null) })
  made!.watch(3)
  const [stream] = streams
  expect(stream!.url).toBe('/api/v1/ingestions/3/events')
  stream!.tell('error')
  expect(made!.lost.value).toBe(true)
  stream!.tell('ingestion', { ...answers.ingestion, state: 'running' })
  expect([made!.lost.value, made!.ingestion.value?.state]).toEqual([false, 'running'])
  expect(over).not.toHaveBeenCalled()
  stream!.tell('ingestion', answers.ingestion)
  expect(over).toHaveBeenCalledTimes(1)
  expect(stream!.closed).toBe(true)
  made!.watch(4)
  shown.unmount()
  expect(streams[1]!.closed).toBe(true)
})

it('pieces agree about lanes that are empty', () => {
  const empty = { ...answers.map, lanes: [], crossings: [] }
  const lanes = computed<LaneLayout[]>(() => [])
  const made = pieces(state(empty))
  expect(made.columns.value).toEqual([])
  expect(made.wires.value).toEqual([])
  expect(useStops(state(empty), lanes, made.anchors, made).value).toEqual([])
})

it('what comes back while somebody goes on typing does not overwrite it', async () => {
  vi.useFakeTimers()
  const asked = ref('')
  let sent = ''
  const { words, typed } = useTyped(asked, (now) => (sent = now), 100)
  words.value = 'tidy'
  void typed()
  await vi.advanceTimersByTimeAsync(150)
  expect(sent).toBe('tidy')
  words.value = 'tidy.re'
  asked.value = sent // the address follows, a moment late
  await nextTick()
  expect(words.value).toBe('tidy.re')
  asked.value = 'failed' // a search that is kept
  await nextTick()
  expect(words.value).toBe('failed')
  vi.useRealTimers()
})
