import { refDebounced } from '@vueuse/core'
import { computed, reactive, ref, watch, type Ref } from 'vue'
import { api, type ColumnFact, type DatasetFacts, type Dependents } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { oneSide } from './sides'
import { useAddress } from './useAddress'

/**
 * The lineage screen: what its address asks for, and what the server answers.
 *
 * time: another time than that of the address, and whether anybody looks at it.
 */
export function useLineage(time?: { at: Ref<string | undefined>; shown: Ref<boolean> }) {
  const address = useAddress()
  const at = time?.at ?? address.at
  const linkAt = time?.at ?? address.linkAt
  const looked = () => !time || time.shown.value
  const { conditions, dataset, dock, downstream, fields, link, onTrail, upstream } = address
  const unfolded = reactive(new Set<number>())
  const closed = reactive(new Set<string>())
  const filters = reactive(new Map<number, string>())
  const more = reactive(new Map<number, number>())
  const named = refDebounced(
    computed(() =>
      [...filters]
        .filter(([, text]) => text.trim())
        .map(([lane, text]) => `${lane}:${text.trim()}`),
    ),
    200,
  )
  const part = computed(() => ({
    named: named.value,
    shown: [...more].map(([lane, count]) => `${lane}:${count}`),
    as_of: at.value,
  }))

  const map = useAsked(
    () =>
      dataset.value === null || !looked()
        ? null
        : onTrail.value
          ? ['lineage', 'trail', fields.value, conditions.value, part.value]
          : [
              'lineage',
              'lanes',
              dataset.value,
              upstream.value,
              downstream.value,
              conditions.value,
              part.value,
            ],
    (signal) =>
      onTrail.value
        ? api.trail(fields.value, conditions.value, part.value, signal)
        : api.lanes(
            dataset.value ?? 0,
            {
              upstream: upstream.value,
              downstream: downstream.value,
              conditions: conditions.value,
              ...part.value,
            },
            signal,
          ),
  )
  /** What is shown of it: on a trail one side may be left out. */
  const shownMap = {
    ...map,
    data: computed(() => {
      const found = map.data.value
      const side = address.side.value
      return found && found.fields.length && side ? oneSide(found, side) : found
    }),
  }
  const asked = useAsked(
    () =>
      dataset.value === null || !looked() ? null : ['lineage', 'facts', dataset.value, at.value],
    (signal) => api.dataset(dataset.value ?? 0, signal, 0, at.value),
  )
  const furtherColumns = ref<ColumnFact[]>([])
  const facts = {
    ...asked,
    data: computed<DatasetFacts | null>(() => {
      const found = asked.data.value
      return found && { ...found, columns: [...found.columns, ...furtherColumns.value] }
    }),
  }
  watch(asked.data, () => (furtherColumns.value = []))

  /** Read the next columns of a wide dataset. */
  async function moreColumns() {
    const now = facts.data.value
    if (!now) return
    const page = await api.dataset(now.id, undefined, now.columns.length, at.value)
    if (page.id === facts.data.value?.id) furtherColumns.value.push(...page.columns)
  }

  /** Show more datasets of a lane. */
  function showMore(lane: number, now: number) {
    more.set(lane, now + Math.max(12, now))
  }
  watch([dataset, () => fields.value.join()], () => more.clear())
  watch(dataset, () => {
    unfolded.clear()
    filters.clear()
  })

  /** The link whose code is shown: the one chosen, or the last step that leads into what is here. */
  const shownLink = computed(() => {
    if (link.value !== null) return link.value
    const steps = shownMap.data.value?.steps ?? []
    const into = shownMap.data.value?.crossings.filter(
      (crossing) => crossing.kind === 'value' && fields.value.includes(crossing.target_field ?? -1),
    )
    const first = into?.[0]?.id
    const step = steps.find((one) => one.links.includes(first ?? -1))
    return step?.link ?? first ?? steps[0]?.link ?? null
  })
  const evidence = useAsked(
    () =>
      shownLink.value === null || dock.value !== 'code' || !looked()
        ? null
        : ['lineage', 'evidence', shownLink.value, linkAt.value],
    (signal) => api.evidence(shownLink.value ?? 0, signal, linkAt.value),
  )
  /** What the trail says in words. */
  const story = useAsked(
    () => (fields.value.length && looked() ? ['lineage', 'story', fields.value, at.value] : null),
    (signal) => api.story(fields.value, signal, at.value),
  )
  const dependsWords = ref('')
  const words = refDebounced(dependsWords, 200)
  const firstDepends = useAsked(
    () =>
      fields.value[0] === undefined || !looked()
        ? null
        : ['lineage', 'depends', fields.value[0], conditions.value, words.value, at.value],
    (signal) =>
      api.dependents(
        fields.value[0] ?? 0,
        { conditions: conditions.value, q: words.value, as_of: at.value },
        signal,
      ),
  )
  const furtherDepends = ref<Dependents | null>(null)
  const depends = {
    ...firstDepends,
    data: computed<Dependents | null>(() => {
      const first = firstDepends.data.value
      const further = furtherDepends.value
      if (!first || !further) return first
      return { ...first, items: [...first.items, ...further.items], next: further.next }
    }),
  }
  watch(firstDepends.data, () => (furtherDepends.value = null))

  /** Read the next page of what depends on the field. */
  async function moreDepends() {
    const now = depends.data.value
    if (!now?.next) return
    const asked = { conditions: conditions.value, q: words.value, cursor: now.next }
    const page = await api.dependents(now.field, asked)
    if (depends.data.value !== now) return
    const before = furtherDepends.value?.items ?? []
    furtherDepends.value = { ...page, items: [...before, ...page.items] }
  }

  /** Ask for everything again: what is one and what is two has changed. */
  function reload() {
    if (dataset.value === null) return
    void facts.reload()
    void map.reload()
  }

  return {
    ...address,
    at,
    closed,
    depends,
    dependsWords,
    evidence,
    facts,
    filters,
    map: shownMap,
    moreColumns,
    moreDepends,
    reload,
    showMore,
    shownLink,
    story,
    unfolded,
  }
}

export type LineageState = ReturnType<typeof useLineage>
