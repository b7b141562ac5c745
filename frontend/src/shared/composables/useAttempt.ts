import { ref } from 'vue'
import { ApiError } from '@/api/client'

/** Something that is done on demand: at work, or refused with a reason. What is refused resolves to false. */
export function useAttempt() {
  const problem = ref<string | null>(null)
  const busy = ref(false)

  async function attempt(what: () => Promise<unknown>): Promise<boolean> {
    if (busy.value) return false
    problem.value = null
    busy.value = true
    try {
      await what()
      return true
    } catch (error) {
      if (!(error instanceof ApiError)) throw error
      problem.value = error.message
      return false
    } finally {
      busy.value = false
    }
  }

  return { problem, busy, attempt }
}
