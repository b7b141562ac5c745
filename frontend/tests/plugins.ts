import { VueQueryPlugin } from '@tanstack/vue-query'
import type { Router } from 'vue-router'
import { queryClient } from '../src/app/queries'

/** What a mounted part needs: places to go to, where it goes anywhere, and a memory of answers that starts empty. */
export function plugins(...routers: Router[]) {
  return [...routers, [VueQueryPlugin, { queryClient: queryClient() }]] as never
}
