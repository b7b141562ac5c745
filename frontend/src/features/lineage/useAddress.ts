import { computed } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import type { Detail } from './layout'

export type Dock = 'code' | 'depends' | 'closed'
export type Side = 'upstream' | 'downstream'

/** As many hops as there are. */
export const ALL = 50

function numbers(value: unknown): number[] {
  const list = Array.isArray(value) ? value : value === undefined || value === null ? [] : [value]
  return list.map(Number).filter((n) => Number.isInteger(n) && n > 0)
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
  const detail = computed<Detail>(() =>
    route.query.detail === 'datasets' ? 'datasets' : 'columns',
  )
  const link = computed(() => numbers(route.query.link)[0] ?? null)
  const asTable = computed(() => route.query.view === 'table')
  const dock = computed<Dock>(() => {
    const asked = route.query.dock
    if (asked === 'closed' || asked === 'depends' || asked === 'code') return asked
    return fields.value.length || link.value !== null ? 'code' : 'closed'
  })
  /** The time that is looked at; now where there is none. */
  const at = computed(() => {
    const time = new Date(String(route.query.at ?? ''))
    return Number.isNaN(time.getTime()) ? undefined : time.toISOString()
  })
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
      at: route.query.at,
    }
    for (const key of Object.keys(query)) if (query[key] === undefined) delete query[key]
    void router.push({ name: 'lineage', params: { dataset: String(id) }, query })
  }

  /** Follow the trail of a field. Of the dataset that is here, several fields can be chosen together. */
  function follow(field: number, owner: number, add = false) {
    if (owner !== dataset.value) {
      const query: LocationQueryRaw = { field: String(field) }
      for (const key of ['conditions', 'at']) {
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
    })
  }

  function reach(side: Side, by: number | 'all') {
    const now = side === 'upstream' ? upstream.value : downstream.value
    const next = by === 'all' ? ALL : Math.max(0, Math.min(ALL, now + by))
    go({ [side]: next === 2 ? undefined : String(next) }, true)
  }

  const show = (id: number | null) =>
    go({ link: id === null ? undefined : String(id), dock: 'code' }, true)
  const leave = () => go({ field: undefined, link: undefined, dock: undefined })
  const toggleConditions = () => go({ conditions: conditions.value ? 'hidden' : undefined }, true)
  const toggleDetail = () =>
    go({ detail: detail.value === 'columns' ? 'datasets' : undefined }, true)
  const toggleTable = () => go({ view: asTable.value ? undefined : 'table' })
  const setDock = (to: Dock) => go({ dock: to }, true)

  const goTo = (time: string | null) => go({ at: time ?? undefined, link: undefined })

  return {
    asTable,
    at,
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
    onTrail,
    open,
    reach,
    setDock,
    show,
    toggleConditions,
    toggleDetail,
    toggleTable,
    upstream,
  }
}
