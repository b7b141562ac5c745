import { useDebounceFn } from '@vueuse/core'
import { ref, watch, type Ref } from 'vue'

/**
 * Words that are typed and, a moment later, asked for: `words` is what stands in the field, `typed` is to be called
 * with every change. What comes back from the address while somebody goes on typing does not overwrite it.
 */
export function useTyped(asked: Ref<string>, ask: (words: string) => void, wait = 250) {
  const words = ref(asked.value)
  let sent = asked.value
  watch(asked, (now) => {
    if (now !== sent) words.value = now
    sent = now
  })
  const typed = useDebounceFn(() => {
    sent = words.value.trim()
    ask(sent)
  }, wait)
  return { words, typed }
}
