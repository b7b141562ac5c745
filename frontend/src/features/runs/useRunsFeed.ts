import { onScopeDispose, ref } from 'vue'

/** Runs as they change: `changed` is called when any has. `away` says that nothing is heard at the moment. */
export function useRunsFeed(changed: () => void) {
  const away = ref(false)
  const stream = new EventSource('/api/v1/runs/events')
  stream.addEventListener('runs', changed)
  stream.addEventListener('open', () => (away.value = false))
  // The browser asks again by itself.
  stream.addEventListener('error', () => (away.value = true))
  onScopeDispose(() => stream.close())
  return { away }
}
