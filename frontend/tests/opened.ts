import { flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { vi } from 'vitest'
import type { Component } from 'vue'
import { createMemoryHistory, createRouter } from 'vue-router'
import App from '../src/app/App.vue'
import { router as places } from '../src/app/router'
import { plugins } from './plugins'

let shown: VueWrapper | undefined

/** Open the application, or another root, at an address, as a person does. `close` it after each test. */
export async function openAt(path: string, root: Component = App) {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [...places.options.routes],
  })
  void router.push(path)
  await router.isReady()
  const page = mount(root, { global: { plugins: plugins(router) }, attachTo: document.body })
  shown = page
  await flushPromises()
  await vi.dynamicImportSettled()
  await flushPromises()
  return { page, router }
}

/** Take away what was opened, and all that stood in for something. */
export function close() {
  shown?.unmount()
  shown = undefined
  document.body.innerHTML = ''
  vi.useRealTimers()
  vi.restoreAllMocks()
  vi.unstubAllGlobals()
}

/** A stream that never says anything stands in for what the server tells by itself. */
export function quiet() {
  vi.stubGlobal(
    'EventSource',
    class {
      addEventListener() {}
      close() {}
    },
  )
}
