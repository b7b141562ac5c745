<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useAsked } from '@/shared/composables/useAsked'

/** Names that are found by words in them, to be taken one by one. taken: those that are not offered again. */
const props = defineProps<{
  what: string
  placeholder: string
  label: string
  offered: string
  none: string
  taken: string[]
  database: string | undefined
  find: (words: string, signal: AbortSignal) => Promise<string[]>
}>()
const emit = defineEmits<{ take: [name: string] }>()

const words = ref('')
const settled = refDebounced(words, 200)
const { data: found, error } = useAsked(
  () => (settled.value.trim() ? [props.what, settled.value, props.database] : null),
  (signal) => props.find(settled.value, signal),
)
const names = computed(() =>
  words.value.trim() ? (found.value ?? []).filter((one) => !props.taken.includes(one)) : [],
)
function take(name: string) {
  emit('take', name)
  words.value = ''
}
</script>

<template>
  <input
    v-model="words"
    type="search"
    :placeholder="placeholder"
    :aria-label="label"
    @keydown.enter="names[0] && take(names[0])"
  />
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <ul v-if="names.length" :aria-label="offered">
    <li v-for="name in names.slice(0, 8)" :key="name">
      <button class="link mono" @click="take(name)">{{ name }}</button>
    </li>
  </ul>
  <p v-else-if="words.trim() && found && words === settled" class="mute small">{{ none }}</p>
</template>

<style scoped>
input {
  width: 100%;
  border: 0;
  border-bottom: 1px solid var(--hair);
  padding: 4px 0;
  background: none;
  font: inherit;
  color: inherit;
}
ul {
  list-style: none;
  margin: 2px 0 0;
  padding: 0;
}
.small {
  font-size: 12px;
}
li button {
  font-size: 12px;
  text-align: left;
  overflow-wrap: anywhere;
}
</style>
