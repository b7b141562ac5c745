import { flushPromises, mount } from '@vue/test-utils'
import { expect, it, vi } from 'vitest'
import { ref } from 'vue'
import { ApiError } from '../src/api/client'
import { plugins } from './plugins'
import { useAsked } from '../src/shared/composables/useAsked'

type Asked = ReturnType<typeof useAsked<string>>

function asking(key: () => unknown[] | null, ask: (signal: AbortSignal) => Promise<string>): Asked {
  let made: Asked | undefined
  const shell = { setup: () => ((made = useAsked(key, ask)), () => null) }
  mount(shell, { global: { plugins: plugins() } })
  if (!made) throw new Error('not mounted')
  return made
}

it('keeps the answer to the latest question, and cancels the one before it', async () => {
  const question = ref('early')
  const signals: AbortSignal[] = []
  const answers: ((value: string) => void)[] = []
  const { data, loading } = asking(
    () => [question.value],
    (signal) => {
      signals.push(signal)
      return new Promise((resolve) => answers.push(resolve))
    },
  )
  await flushPromises()
  expect(loading.value).toBe(true)
  question.value = 'late'
  await flushPromises()
  expect(signals.map((signal) => signal.aborted)).toEqual([true, false])
  answers[1]?.('late')
  answers[0]?.('early')
  await vi.waitFor(() => expect(data.value).toBe('late'))
})

it('shows the answer before while the next one is awaited, and nothing where nothing is asked', async () => {
  const question = ref<string | null>('first')
  const { data } = asking(
    () => (question.value ? [question.value] : null),
    () => (question.value === 'first' ? Promise.resolve('first') : new Promise(() => {})),
  )
  await vi.waitFor(() => expect(data.value).toBe('first'))
  question.value = 'second'
  await flushPromises()
  expect(data.value).toBe('first')
  question.value = null
  await flushPromises()
  expect(data.value).toBe(null)
})

it('says what the API said when it refused', async () => {
  const refused = new ApiError('there is no dataset 9', 404)
  const { data, error, loading } = asking(
    () => ['dataset', 9],
    () => Promise.reject(refused),
  )
  await vi.waitFor(() => expect(error.value).toBe('there is no dataset 9'))
  expect([data.value, loading.value]).toEqual([null, false])
})

it('does not swallow its own mistakes', async () => {
  const told = vi.spyOn(console, 'error').mockImplementation(() => {})
  const { error } = asking(
    () => ['mistake'],
    () => Promise.reject(new TypeError('x')),
  )
  await vi.waitFor(() => expect(error.value).toContain('went wrong'))
  expect(told).toHaveBeenCalledWith(expect.any(TypeError))
  told.mockRestore()
})
