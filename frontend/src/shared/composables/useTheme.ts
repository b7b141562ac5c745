import { useStorage, usePreferredDark } from '@vueuse/core'
import { computed, watchEffect } from 'vue'

type Choice = 'system' | 'light' | 'dark'

/** The theme: what the viewer chose, or else what the system prefers. */
export function useTheme() {
  const choice = useStorage<Choice>('jalan-theme', 'system')
  const prefersDark = usePreferredDark()
  const dark = computed(() =>
    choice.value === 'system' ? prefersDark.value : choice.value === 'dark',
  )
  watchEffect(() => document.documentElement.classList.toggle('dark', dark.value))
  const toggle = () => (choice.value = dark.value ? 'light' : 'dark')
  return { dark, toggle }
}
