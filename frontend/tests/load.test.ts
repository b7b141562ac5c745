import { expect, it, vi } from 'vitest'
import { ApiError } from '../src/api/client'
import { useLoad } from '../src/useLoad'

it('keeps the answer to the latest question, whichever comes first', async () => {
  const { data, load } = useLoad<string>()
  let answer: (value: string) => void = () => {}
  const slow = load(() => new Promise((resolve) => (answer = resolve)))
  await load(() => Promise.resolve('late question'))
  answer('early question')
  await slow
  expect(data.value).toBe('late question')
})

it('says what the API said when it refused', async () => {
  const { data, error, loading, load } = useLoad<string>()
  await load(() => Promise.reject(new ApiError('there is no dataset 9', 404)))
  expect([data.value, error.value, loading.value]).toEqual([null, 'there is no dataset 9', false])
})

it('does not swallow its own mistakes', async () => {
  const { error, load } = useLoad<string>()
  await expect(load(vi.fn().mockRejectedValue(new TypeError('x')))).rejects.toThrow(TypeError)
  expect(error.value).toContain('went wrong')
})
