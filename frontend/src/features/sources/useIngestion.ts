import { onScopeDispose, ref, shallowRef } from 'vue'
import type { IngestionFact } from '@/api/client'

/** An ingestion that is watched while it is at work. `over` is called once, when it has come to its end. */
export function useIngestion(over: (ingestion: IngestionFact) => void) {
  const ingestion = shallowRef<IngestionFact | null>(null)
  const lost = ref(false)
  let stream: EventSource | null = null

  function stop() {
    stream?.close()
    stream = null
  }

  function watch(id: number) {
    stop()
    lost.value = false
    stream = new EventSource(`/api/v1/ingestions/${id}/events`)
    stream.addEventListener('ingestion', (event) => {
      lost.value = false
      ingestion.value = JSON.parse((event as MessageEvent<string>).data) as IngestionFact
      if (ingestion.value.state !== 'running') {
        stop()
        over(ingestion.value)
      }
    })
    // The browser asks again by itself; until then the last word stands.
    stream.addEventListener('error', () => (lost.value = true))
  }

  function clear() {
    stop()
    ingestion.value = null
    lost.value = false
  }

  onScopeDispose(stop)
  return { ingestion, lost, watch, clear }
}
