import { onScopeDispose, ref, shallowRef } from 'vue'
import type { RunFact } from '@/api/client'

/** A run that is watched while it is at work. `over` is called once, when it has come to its end. */
export function useRun(over: (run: RunFact) => void) {
  const run = shallowRef<RunFact | null>(null)
  const lost = ref(false)
  let stream: EventSource | null = null

  function stop() {
    stream?.close()
    stream = null
  }

  function watch(id: number) {
    stop()
    lost.value = false
    stream = new EventSource(`/api/v1/runs/${id}/events`)
    stream.addEventListener('run', (event) => {
      lost.value = false
      run.value = JSON.parse((event as MessageEvent<string>).data) as RunFact
      if (run.value.state !== 'running') {
        stop()
        over(run.value)
      }
    })
    // The browser asks again by itself; until then the last word stands.
    stream.addEventListener('error', () => (lost.value = true))
  }

  function clear() {
    stop()
    run.value = null
    lost.value = false
  }

  onScopeDispose(stop)
  return { run, lost, watch, clear }
}
