import { computed, ref, watch, type Ref } from 'vue'

interface Page<T> {
  items: T[]
  next?: string | null
}

/** A list that comes page by page: the first page as it is asked for, and those read after it. */
export function usePages<T>(
  first: Ref<Page<T> | null>,
  read: (cursor: string) => Promise<Page<T>>,
) {
  const further = ref<T[]>([]) as Ref<T[]>
  const next = ref<string | null>(null)
  const refused = ref('')
  watch(
    first,
    (page) => {
      further.value = []
      next.value = page?.next ?? null
      refused.value = ''
    },
    { immediate: true },
  )
  const items = computed(() => [...(first.value?.items ?? []), ...further.value])

  async function more() {
    const of = first.value
    if (!next.value) return
    try {
      const page = await read(next.value)
      if (of !== first.value) return
      further.value = [...further.value, ...page.items]
      next.value = page.next ?? null
      refused.value = ''
    } catch (reason) {
      refused.value = reason instanceof Error ? reason.message : 'The rest could not be read.'
    }
  }
  return { items, more, next, refused }
}
