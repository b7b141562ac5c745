import { refDebounced } from '@vueuse/core'
import { computed, inject, provide, ref, watch, type ComputedRef, type InjectionKey } from 'vue'
import { api, type WithinMatch } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import type { LineageState } from './useLineage'

interface Marks {
  datasets: Set<number>
  fields: Set<number>
  /** The one that is looked at. */
  now: WithinMatch | null
}

const KEY: InjectionKey<ComputedRef<Marks>> = Symbol('what is found within the road')
const NONE = computed<Marks>(() => ({ datasets: new Set(), fields: new Set(), now: null }))

/** What the lanes mark as found. */
export const useMarks = () => inject(KEY, NONE)

/** Finding within what the road shows, also in lanes that are folded or not loaded. */
export function useWithin(state: LineageState) {
  const words = ref('')
  const wanted = refDebounced(
    computed(() => words.value.trim()),
    150,
  )
  const at = ref(0)
  const asked = useAsked(
    () =>
      wanted.value && state.dataset.value !== null
        ? state.onTrail.value
          ? ['within', 'trail', state.fields.value, wanted.value, state.at.value]
          : [
              'within',
              state.dataset.value,
              state.upstream.value,
              state.downstream.value,
              state.conditions.value,
              wanted.value,
              state.at.value,
            ]
        : null,
    (signal) =>
      state.onTrail.value
        ? api.withinTrail(state.fields.value, wanted.value, signal, state.at.value)
        : api.withinLanes(
            state.dataset.value ?? 0,
            {
              q: wanted.value,
              upstream: state.upstream.value,
              downstream: state.downstream.value,
              conditions: state.conditions.value,
              as_of: state.at.value,
            },
            signal,
          ),
  )
  const found = computed(() => (wanted.value ? asked.data.value : null))
  watch(wanted, () => (at.value = 0))
  const now = computed(() => found.value?.matches[at.value] ?? null)

  function step(by: number) {
    const many = found.value?.matches.length ?? 0
    if (many) at.value = (at.value + by + many) % many
  }

  provide(
    KEY,
    computed(() => ({
      datasets: new Set(
        found.value?.matches.flatMap((one) => (one.field === null ? one.dataset : [])),
      ),
      fields: new Set(found.value?.matches.flatMap((one) => one.field ?? [])),
      now: now.value,
    })),
  )
  return { at, error: asked.error, found, now, step, words }
}
