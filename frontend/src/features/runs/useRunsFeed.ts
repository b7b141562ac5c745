import { useDocumentVisibility } from '@vueuse/core'
import { onScopeDispose, ref, watch } from 'vue'

/**
 * Runs as they change: `changed` is called when any has. `away` says that nothing is heard at the moment.
 *
 * A page that nobody looks at lets the line go: a browser has few of them for all of its tabs.
 */
export function useRunsFeed(changed: () => void) {
  const away = ref(false)
  const visibility = useDocumentVisibility()
  let stream: EventSource | null = null
  function close() {
    stream?.close()
    stream = null
  }
  function open() {
    close()
    stream = new EventSource('/api/v1/runs/events')
    stream.addEventListener('runs', changed)
    stream.addEventListener('open', () => (away.value = false))
    // The browser asks again by itself.
    stream.addEventListener('error', () => (away.value = true))
  }
  open()
  watch(visibility, (now) => {
    if (now === 'hidden') return close()
    open()
    changed()
  })
  onScopeDispose(close)
  return { away }
}
