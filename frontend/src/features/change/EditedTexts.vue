<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'

/** The texts that would be otherwise: found by words in their places, opened, taken back one by one. */
const props = defineProps<{
  edits: Record<string, string>
  open: string | null
  database: string | undefined
}>()
const emit = defineEmits<{ open: [place: string | null]; takeBack: [place: string] }>()

const words = ref('')
const settled = refDebounced(words, 200)
const { data: found, error } = useAsked(
  () => (settled.value.trim() ? ['change texts', settled.value, props.database, 'all'] : null),
  (signal) => api.changeTexts(settled.value, props.database, true, signal),
)
const listed = computed(() =>
  [...new Set([...Object.keys(props.edits), ...(props.open ? [props.open] : [])])].sort(),
)
const offered = computed(() =>
  words.value.trim() ? (found.value ?? []).filter((one) => !listed.value.includes(one)) : [],
)
function choose(place: string) {
  emit('open', place)
  words.value = ''
}
</script>

<template>
  <p v-for="place in listed" :key="place" class="one">
    <button
      class="link mono"
      :aria-expanded="open === place"
      @click="emit('open', open === place ? null : place)"
    >
      {{ place }}
    </button>
    <span v-if="!(place in edits)" class="mute">as it is</span>
    <button
      v-if="place in edits"
      class="link"
      :aria-label="`take back the edit of ${place}`"
      @click="emit('takeBack', place)"
    >
      take back
    </button>
  </p>
  <input
    v-model="words"
    type="search"
    placeholder="a file, or a report's query, to edit…"
    aria-label="Find a text to edit"
    @keydown.enter="offered[0] && choose(offered[0])"
  />
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <ul v-if="offered.length" aria-label="Texts">
    <li v-for="place in offered.slice(0, 8)" :key="place">
      <button class="link mono" @click="choose(place)">{{ place }}</button>
    </li>
  </ul>
  <p v-else-if="words.trim() && found && words === settled" class="mute small">
    No text that is run or asked has these words.
  </p>
</template>

<style scoped>
.one {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  margin: 4px 0;
  font-size: 12px;
}
.one .mono {
  overflow-wrap: anywhere;
  text-align: left;
}
.one > :last-child {
  white-space: nowrap;
}
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
li button {
  font-size: 12px;
  text-align: left;
  overflow-wrap: anywhere;
}
</style>
