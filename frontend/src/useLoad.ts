import { ref, shallowRef } from 'vue'
import { ApiError } from './api/client'

/** Something that is asked for: loading, failed with a reason, or there. A later question overtakes an earlier one. */
export function useLoad<T>() {
  const data = shallowRef<T | null>(null)
  const error = ref<string | null>(null)
  const loading = ref(false)
  let asked = 0

  async function load(ask: () => Promise<T>): Promise<void> {
    const mine = ++asked
    loading.value = true
    error.value = null
    try {
      const found = await ask()
      if (mine === asked) data.value = found
    } catch (reason) {
      if (mine !== asked) return
      data.value = null
      error.value = reason instanceof ApiError ? reason.message : 'Something went wrong here.'
      if (!(reason instanceof ApiError)) throw reason
    } finally {
      if (mine === asked) loading.value = false
    }
  }

  function clear() {
    asked++
    data.value = null
    error.value = null
    loading.value = false
  }

  return { data, error, loading, load, clear }
}
