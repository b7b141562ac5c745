import { computed, reactive, watch } from 'vue'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { useAddress } from './useAddress'

/** The lineage screen: what its address asks for, and what the server answers. */
export function useLineage() {
  const address = useAddress()
  const { conditions, dataset, dock, downstream, fields, link, onTrail, upstream } = address
  const unfolded = reactive(new Set<number>())
  const closed = reactive(new Set<string>())
  const filters = reactive(new Map<number, string>())

  const map = useAsked(
    () =>
      dataset.value === null
        ? null
        : onTrail.value
          ? ['lineage', 'trail', fields.value, conditions.value]
          : ['lineage', 'lanes', dataset.value, upstream.value, downstream.value, conditions.value],
    (signal) =>
      onTrail.value
        ? api.trail(fields.value, conditions.value, signal)
        : api.lanes(
            dataset.value ?? 0,
            {
              upstream: upstream.value,
              downstream: downstream.value,
              conditions: conditions.value,
            },
            signal,
          ),
  )
  const facts = useAsked(
    () => (dataset.value === null ? null : ['lineage', 'facts', dataset.value]),
    (signal) => api.dataset(dataset.value ?? 0, signal),
  )
  watch(dataset, () => {
    unfolded.clear()
    filters.clear()
  })

  /** The link whose code is shown: the one chosen, or the last step that leads into what is here. */
  const shownLink = computed(() => {
    if (link.value !== null) return link.value
    const steps = map.data.value?.steps ?? []
    const into = map.data.value?.crossings.filter(
      (crossing) => crossing.kind === 'value' && fields.value.includes(crossing.target_field ?? -1),
    )
    const first = into?.[0]?.id
    const step = steps.find((one) => one.links.includes(first ?? -1))
    return step?.link ?? first ?? steps[0]?.link ?? null
  })
  const evidence = useAsked(
    () =>
      shownLink.value === null || dock.value !== 'code'
        ? null
        : ['lineage', 'evidence', shownLink.value],
    (signal) => api.evidence(shownLink.value ?? 0, signal),
  )
  const depends = useAsked(
    () =>
      fields.value[0] === undefined
        ? null
        : ['lineage', 'depends', fields.value[0], conditions.value],
    (signal) => api.dependents(fields.value[0] ?? 0, conditions.value, signal),
  )

  /** Ask for everything again: what is one and what is two has changed. */
  function reload() {
    if (dataset.value === null) return
    void facts.reload()
    void map.reload()
  }

  return {
    ...address,
    closed,
    depends,
    evidence,
    facts,
    filters,
    map,
    reload,
    shownLink,
    unfolded,
  }
}

export type LineageState = ReturnType<typeof useLineage>
