import { useThrottleFn } from '@vueuse/core'
import { computed, inject, provide, type ComputedRef, type InjectionKey, type Ref } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { ago, exact } from '@/shared/format/humane'
import { useRunsFeed } from './useRunsFeed'

export type StateFact = Schemas['StateFact']
const KEY: InjectionKey<ComputedRef<Map<number, StateFact>>> = Symbol('states of datasets')
const MOST = 500

/** How the datasets in view stand, kept up to date as runs change; for whoever is below. */
export function provideStates(datasets: Ref<number[]>) {
  const { data, reload } = useAsked(
    () => (datasets.value.length ? ['run states', datasets.value.slice(0, MOST)] : null),
    (signal) => api.runStates(datasets.value.slice(0, MOST), signal),
  )
  const again = useThrottleFn(() => void reload(), 3_000, true)
  useRunsFeed(again)
  const found = computed(() => new Map((data.value ?? []).map((one) => [one.dataset, one])))
  provide(KEY, found)
  return found
}

/** How datasets stand, by their ids; empty where nobody asks. */
export function useStates(): ComputedRef<Map<number, StateFact>> {
  return inject(KEY, () => computed(() => new Map<number, StateFact>()), true)
}

const SHAPES: Record<string, { mark: string; word: string; tone: string }> = {
  fresh: { mark: '✓', word: '', tone: 'mute' },
  stale: { mark: '◌', word: 'stale', tone: 'warn' },
  late: { mark: '◔', word: 'late', tone: 'warn' },
  failed: { mark: '✕', word: 'failed', tone: 'bad' },
  stopped: { mark: '■', word: 'stopped', tone: 'warn' },
  running: { mark: '●', word: 'running', tone: 'going' },
}

/** A state with its shape, its word and what it means. */
export function standing(fact: StateFact) {
  const shape = SHAPES[fact.state] ?? { mark: '?', word: fact.state, tone: 'mute' }
  const age = ago(fact.filled_at ?? fact.at)
  const text = fact.state === 'fresh' ? age : shape.word
  const meaning: Record<string, string> = {
    fresh: 'what fills it ran when it should',
    stale: 'something upstream of it failed the last time',
    late: 'what fills it should have run by now',
    failed: 'what fills it failed the last time',
    stopped: 'what fills it was stopped the last time',
    running: 'what fills it is at work',
  }
  const told = [
    meaning[fact.state] ?? '',
    fact.job ? `${fact.job}, ${exact(fact.at)}` : '',
    fact.filled_at ? `last filled ${exact(fact.filled_at)}` : '',
  ]
  return { ...shape, text, age, told: told.filter(Boolean).join('\n') }
}
