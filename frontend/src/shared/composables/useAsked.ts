import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, toValue, type MaybeRefOrGetter } from 'vue'
import { ApiError } from '@/api/client'

/**
 * Something that the server is asked for: loading, refused with a reason, or there.
 *
 * key: what the question is about; another key is another question, which cancels the one before it. Null asks nothing.
 * Until the answer is there the one before it stays. The same question is answered from memory first.
 */
export function useAsked<T>(
  key: MaybeRefOrGetter<readonly unknown[] | null>,
  ask: (signal: AbortSignal) => Promise<T>,
  options: { every?: number } = {},
) {
  const wanted = computed(() => toValue(key))
  const asks = computed(() => wanted.value !== null)
  const query = useQuery({
    queryKey: computed(() => wanted.value ?? ['nothing']),
    queryFn: ({ signal }) => ask(signal),
    enabled: asks,
    placeholderData: keepPreviousData,
    refetchInterval: options.every ?? false,
  })
  const data = computed<T | null>(() =>
    asks.value && !query.error.value ? ((query.data.value as T | undefined) ?? null) : null,
  )
  const error = computed(() => {
    const reason = query.error.value
    if (!asks.value || !reason) return null
    return reason instanceof ApiError ? reason.message : 'Something went wrong here.'
  })
  const loading = computed(() => asks.value && query.isFetching.value)
  return { data, error, loading, reload: () => query.refetch() }
}
