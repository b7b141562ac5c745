import { computed, inject, provide, type ComputedRef, type InjectionKey } from 'vue'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { ALL } from './useAddress'
import type { LineageState } from './useLineage'

interface Differing {
  datasets: Set<number>
  fields: Set<number>
  links: Set<number>
}
const NOTHING: Differing = { datasets: new Set(), fields: new Set(), links: new Set() }
const KEY: InjectionKey<ComputedRef<Differing>> = Symbol('what is another in the other moment')

/** What is another around what is here than at the earlier time, where there is one; for whoever is below too. */
export function useDifference(state: LineageState) {
  const hops = (side: number) => (state.onTrail.value ? ALL : side)
  const query = computed(() => ({
    since: state.against.value ?? '',
    as_of: state.at.value,
    upstream: hops(state.upstream.value),
    downstream: hops(state.downstream.value),
    conditions: state.conditions.value,
  }))
  const asked = useAsked(
    () =>
      state.against.value && state.dataset.value !== null
        ? ['difference', state.dataset.value, query.value]
        : null,
    (signal) => api.difference(state.dataset.value ?? 0, query.value, signal),
  )
  const differing = computed<Differing>(() => {
    const found = state.against.value ? asked.data.value : null
    return {
      datasets: new Set(found?.datasets.map((one) => one.dataset)),
      fields: new Set(found?.columns.map((one) => one.field)),
      links: new Set(found?.links.map((one) => one.link)),
    }
  })
  provide(KEY, differing)
  return asked
}

/** What came, went or changed between the two moments that are looked at; nothing where there is only one. */
export function useDiffering(): ComputedRef<Differing> {
  return inject(KEY, () => computed(() => NOTHING), true)
}

export const DIFFERS = 'in one of the two moments only, or of another type'
