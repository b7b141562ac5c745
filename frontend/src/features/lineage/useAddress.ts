import { computed } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { justBefore } from '@/features/history/moments'
import type { Detail } from './layout'

export type Dock = 'code' | 'depends' | 'past' | 'closed'
/** How two moments are held against each other. */
export type Together = 'difference' | 'both'
export type Side = 'upstream' | 'downstream'

/** As many hops as there are. */
export const ALL = 50

/** What of the address says which times are looked at. */
const OF_TIME = ['at', 'moment', 'against', 'together']

function several(value: unknown): unknown[] {
  return Array.isArray(value) ? value : value === undefined || value === null ? [] : [value]
}

function numbers(value: unknown): number[] {
  return several(value)
    .map(Number)
    .filter((n) => Number.isInteger(n) && n > 0)
}

function offsets(value: unknown): number[] {
  return several(value)
    .map(Number)
    .filter((n) => Number.isInteger(n) && Math.abs(n) < 10_000)
}

function times(value: unknown): string[] {
  return several(value)
    .map((one) => new Date(String(one)))
    .filter((time) => !Number.isNaN(time.getTime()))
    .map((time) => time.toISOString())
}

/** What the lineage screen shows. All of it is in the address; every change of it goes there. */
export function useAddress() {
  const route = useRoute()
  const router = useRouter()

  const dataset = computed(() => numbers(route.params.dataset)[0] ?? null)
  const fields = computed(() => numbers(route.query.field))
  const depth = (value: unknown) =>
    Math.min(ALL, value === undefined ? 2 : Math.max(0, Number(value) || 0))
  const upstream = computed(() => depth(route.query.upstream))
  const downstream = computed(() => depth(route.query.downstream))
  const conditions = computed(() => route.query.conditions !== 'hidden')
  /** How what only decides is drawn: as hairlines unless somebody wants it otherwise. */
  const strokes = computed(() => {
    const asked = route.query.conditions
    return asked === 'hidden' || asked === 'full' ? asked : 'hairline'
  })
  const detail = computed<Detail>(() =>
    route.query.detail === 'datasets' ? 'datasets' : 'columns',
  )
  const link = computed(() => numbers(route.query.link)[0] ?? null)
  /** When the link held that is shown: what went is not there any more. */
  const linkAt = computed(() =>
    link.value === null ? at.value : (times(route.query.linkat)[0] ?? at.value),
  )
  const asTable = computed(() => route.query.view === 'table')
  const dock = computed<Dock>(() => {
    const asked = route.query.dock
    if (asked === 'closed' || asked === 'depends' || asked === 'past' || asked === 'code')
      return asked
    return fields.value.length || link.value !== null ? 'code' : 'closed'
  })
  /** The time that is looked at; now where there is none. */
  const at = computed(() => times(route.query.at)[0])
  /** The moments that are kept open, the earliest first. */
  const moments = computed(() => {
    const kept = [...times(route.query.moment), ...times(route.query.at)]
    return [...new Set(kept)].sort()
  })
  /** The earlier time that it is held against. */
  const against = computed(() => times(route.query.against)[0])
  const together = computed<Together>(() =>
    route.query.together === 'both' ? 'both' : 'difference',
  )
  /** Which side of a trail is shown, where it is not both. */
  const side = computed<Side | null>(() => {
    const asked = route.query.side
    return asked === 'upstream' || asked === 'downstream' ? asked : null
  })
  /** Whether what is here has all its facts on a trail as well. */
  const panel = computed(() => route.query.here === 'facts')
  /** The lanes that were opened or folded by hand. */
  const byHand = computed(() => ({
    open: new Set(offsets(route.query.open)),
    folded: new Set(offsets(route.query.fold)),
  }))
  const onTrail = computed(() => fields.value.length > 0)

  function go(query: LocationQueryRaw, replace = false) {
    const merged: LocationQueryRaw = { ...route.query, ...query }
    for (const key of Object.keys(merged)) if (merged[key] === undefined) delete merged[key]
    const to = { name: 'lineage', params: route.params, query: merged }
    void (replace ? router.replace(to) : router.push(to))
  }

  function open(id: number, keepView = true) {
    const kept = keepView
      ? { upstream: route.query.upstream, downstream: route.query.downstream }
      : {}
    const query: LocationQueryRaw = {
      ...kept,
      conditions: route.query.conditions,
      detail: route.query.detail,
      view: route.query.view,
    }
    for (const key of OF_TIME) query[key] = route.query[key]
    for (const key of Object.keys(query)) if (query[key] === undefined) delete query[key]
    void router.push({ name: 'lineage', params: { dataset: String(id) }, query })
  }

  /** Follow the trail of a field. Of the dataset that is here, several fields can be chosen together. */
  function follow(field: number, owner: number, add = false) {
    if (owner !== dataset.value) {
      const query: LocationQueryRaw = { field: String(field) }
      for (const key of ['conditions', ...OF_TIME]) {
        if (route.query[key] !== undefined) query[key] = route.query[key]
      }
      void router.push({ name: 'lineage', params: { dataset: String(owner) }, query })
      return
    }
    const chosen = new Set(add ? fields.value : [])
    if (fields.value.includes(field) && (add || fields.value.length === 1)) chosen.delete(field)
    else chosen.add(field)
    go({
      field: chosen.size ? [...chosen].map(String) : undefined,
      link: undefined,
      dock: undefined,
      open: undefined,
      fold: undefined,
    })
  }

  function reach(side: Side, by: number | 'all') {
    const now = side === 'upstream' ? upstream.value : downstream.value
    const next = by === 'all' ? ALL : Math.max(0, Math.min(ALL, now + by))
    go({ [side]: next === 2 ? undefined : String(next) }, true)
  }

  const show = (id: number | null) =>
    go({ link: id === null ? undefined : String(id), linkat: undefined, dock: 'code' }, true)
  const leave = () =>
    go({
      field: undefined,
      link: undefined,
      dock: undefined,
      open: undefined,
      fold: undefined,
      here: undefined,
      side: undefined,
    })
  const setSide = (to: Side | null) => go({ side: to ?? undefined }, true)
  const setPanel = (open: boolean) => go({ here: open ? 'facts' : undefined }, true)
  /** Open a lane, or fold it. */
  function setOpen(lanes: number[], open: boolean) {
    const now = { open: new Set(byHand.value.open), folded: new Set(byHand.value.folded) }
    for (const lane of lanes) {
      ;(open ? now.open : now.folded).add(lane)
      ;(open ? now.folded : now.open).delete(lane)
    }
    const listed = (several: Set<number>) => (several.size ? [...several].map(String) : undefined)
    go({ open: listed(now.open), fold: listed(now.folded) }, true)
  }
  const toggleConditions = () => {
    const next = { hairline: 'hidden', hidden: 'full', full: undefined }[strokes.value]
    go({ conditions: next }, true)
  }
  const toggleDetail = () =>
    go({ detail: detail.value === 'columns' ? 'datasets' : undefined }, true)
  const toggleTable = () => go({ view: asTable.value ? undefined : 'table' })
  const setDock = (to: Dock) => go({ dock: to }, true)

  /** The moments that are kept open, with another one. */
  function withMoment(time?: string) {
    const kept = [...new Set([...moments.value, ...(time ? times(time) : [])])].sort()
    return kept.length ? kept : undefined
  }
  const goTo = (time: string | null) =>
    go({ at: time ?? undefined, moment: withMoment(), against: undefined, link: undefined })
  /** Look from a moment, and keep it open beside the others. */
  const openMoment = (time: string) =>
    go({ at: times(time)[0], moment: withMoment(time), against: undefined, link: undefined })
  function closeMoment(time: string) {
    const kept = moments.value.filter((one) => one !== time)
    go({
      moment: kept.length ? kept : undefined,
      at: at.value === time ? undefined : at.value,
      against: against.value === time ? undefined : against.value,
      link: undefined,
    })
  }
  /** Hold what is shown against an earlier time; or no longer. */
  const compare = (earlier: string | null) =>
    go({ against: earlier ?? undefined, together: undefined, link: undefined })
  /** Hold two times against each other, whichever is the earlier one. */
  function compareWith(time: string | null) {
    const [a, b] = [at.value ?? null, time]
    const [earlier, later] = a !== null && (b === null || a < b) ? [a, b] : [b, a]
    if (earlier === null) return
    go({
      at: later ?? undefined,
      against: earlier,
      moment: withMoment(earlier),
      link: undefined,
    })
  }
  /** What a moment has changed: it against the one just before. */
  const compareBefore = (time: string) =>
    go({
      at: times(time)[0],
      moment: withMoment(time),
      against: justBefore(time),
      together: undefined,
      link: undefined,
    })
  // Two roads take all the room there is.
  const setTogether = (how: Together) =>
    go(how === 'both' ? { together: how, dock: 'closed' } : { together: undefined }, true)
  /** Show the code of a link at a time at which it held. */
  const showAt = (id: number, time: string | undefined) =>
    go({ link: String(id), dock: 'code', linkat: time })

  return {
    against,
    asTable,
    at,
    byHand,
    closeMoment,
    compare,
    compareBefore,
    compareWith,
    conditions,
    dataset,
    detail,
    dock,
    downstream,
    fields,
    follow,
    goTo,
    leave,
    link,
    linkAt,
    moments,
    onTrail,
    open,
    openMoment,
    panel,
    reach,
    setDock,
    setOpen,
    setPanel,
    setSide,
    setTogether,
    show,
    showAt,
    side,
    strokes,
    together,
    toggleConditions,
    toggleDetail,
    toggleTable,
    upstream,
  }
}
