import { computed, reactive, ref, watch } from 'vue'
import { useRoute, useRouter, type LocationQueryRaw } from 'vue-router'
import { api, type DatasetFacts, type Dependents, type Evidence, type Road } from '@/api/client'
import { useLoad } from '@/useLoad'
import type { Detail } from './layout'

export type Dock = 'code' | 'depends' | 'closed'

const ALL = 50

function numbers(value: unknown): number[] {
  const list = Array.isArray(value) ? value : value === undefined || value === null ? [] : [value]
  return list.map(Number).filter((n) => Number.isInteger(n) && n > 0)
}

/** The state of the lineage screen. All of it is in the address; what is shown follows from that. */
export function useRoad() {
  const route = useRoute()
  const router = useRouter()
  const road = useLoad<Road>()
  const facts = useLoad<DatasetFacts>()
  const evidence = useLoad<Evidence>()
  const depends = useLoad<Dependents>()
  const unfolded = reactive(new Set<number>())
  const closed = reactive(new Set<string>())
  const filters = reactive(new Map<number, string>())

  const dataset = computed(() => numbers(route.params.dataset)[0] ?? null)
  const fields = computed(() => numbers(route.query.field))
  const depth = (value: unknown) =>
    Math.min(ALL, value === undefined ? 2 : Math.max(0, Number(value) || 0))
  const back = computed(() => depth(route.query.back))
  const ahead = computed(() => depth(route.query.ahead))
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
  const onTrail = computed(() => fields.value.length > 0)

  function go(query: LocationQueryRaw, replace = false) {
    const merged: LocationQueryRaw = { ...route.query, ...query }
    for (const key of Object.keys(merged)) if (merged[key] === undefined) delete merged[key]
    const to = { name: 'lineage', params: route.params, query: merged }
    void (replace ? router.replace(to) : router.push(to))
  }

  function open(id: number, keepView = true) {
    const kept = keepView ? { back: route.query.back, ahead: route.query.ahead } : {}
    const query: LocationQueryRaw = {
      ...kept,
      conditions: route.query.conditions,
      detail: route.query.detail,
      view: route.query.view,
    }
    for (const key of Object.keys(query)) if (query[key] === undefined) delete query[key]
    void router.push({ name: 'lineage', params: { dataset: String(id) }, query })
  }

  /** Follow the trail of a field. Of the dataset that is here, several fields can be chosen together. */
  function follow(field: number, owner: number, add = false) {
    if (owner !== dataset.value) {
      const query: LocationQueryRaw = { field: String(field), conditions: route.query.conditions }
      if (query.conditions === undefined) delete query.conditions
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

  function reach(side: 'back' | 'ahead', by: number | 'all') {
    const now = side === 'back' ? back.value : ahead.value
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

  const roadKey = computed(() =>
    dataset.value === null
      ? null
      : onTrail.value
        ? `t${fields.value.join(',')}:${conditions.value}`
        : `l${dataset.value}:${back.value}:${ahead.value}:${conditions.value}`,
  )
  function loadRoad() {
    const id = dataset.value
    if (roadKey.value === null || id === null) return road.clear()
    void road.load(() =>
      onTrail.value
        ? api.trail(fields.value, conditions.value)
        : api.lanes(id, { back: back.value, ahead: ahead.value, conditions: conditions.value }),
    )
  }
  watch(roadKey, loadRoad, { immediate: true })
  watch(
    dataset,
    (id) => {
      unfolded.clear()
      filters.clear()
      if (id === null) facts.clear()
      else void facts.load(() => api.dataset(id))
    },
    { immediate: true },
  )

  /** Ask for everything again: what is one and what is two has changed. */
  function reload() {
    const id = dataset.value
    if (id !== null) void facts.load(() => api.dataset(id))
    loadRoad()
  }

  /** The link whose code is shown: the one chosen, or the last step that leads into what is here. */
  const shownLink = computed(() => {
    if (link.value !== null) return link.value
    const steps = road.data.value?.steps ?? []
    const into = road.data.value?.crossings.filter(
      (crossing) => crossing.kind === 'value' && fields.value.includes(crossing.target_field ?? -1),
    )
    const first = into?.[0]?.id
    const step = steps.find((one) => one.links.includes(first ?? -1))
    return step?.link ?? first ?? steps[0]?.link ?? null
  })
  watch(
    [shownLink, dock],
    ([id, state]) => {
      if (id === null || state !== 'code') return
      if (evidence.data.value?.link !== id) void evidence.load(() => api.evidence(id))
    },
    { immediate: true },
  )

  const dependsOn = ref<string | null>(null)
  watch(
    [fields, conditions, dock],
    ([chosen, withConditions]) => {
      const field = chosen[0]
      const key = field === undefined ? null : `${field}:${withConditions}`
      if (key === dependsOn.value) return
      dependsOn.value = key
      if (field === undefined) depends.clear()
      else void depends.load(() => api.dependents(field, withConditions))
    },
    { immediate: true },
  )

  return {
    ahead,
    asTable,
    back,
    closed,
    conditions,
    dataset,
    depends,
    detail,
    dock,
    evidence,
    facts,
    fields,
    filters,
    follow,
    leave,
    onTrail,
    open,
    reach,
    reload,
    road,
    setDock,
    show,
    shownLink,
    toggleConditions,
    toggleDetail,
    toggleTable,
    unfolded,
  }
}

export type RoadState = ReturnType<typeof useRoad>
