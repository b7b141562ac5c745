<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'

/** The texts that are not run any more, or after all others: found by words in their places, taken back one by one. */
const props = defineProps<{
  stopped: string[]
  late: string[]
  database: string | undefined
}>()
const emit = defineEmits<{ change: [stopped: string[], late: string[]] }>()
const listed = computed(() => [...props.stopped, ...props.late].sort())
const without = (names: string[], place: string) => names.filter((one) => one !== place)
function takeBack(place: string) {
  emit('change', without(props.stopped, place), without(props.late, place))
}
function become(place: string, isLate: boolean) {
  const [stopped, late] = [without(props.stopped, place), without(props.late, place)]
  emit('change', isLate ? stopped : [...stopped, place], isLate ? [...late, place] : late)
}

const words = ref('')
const settled = refDebounced(words, 200)
const { data: found, error } = useAsked(
  () => (settled.value.trim() ? ['change texts', settled.value, props.database] : null),
  (signal) => api.changeTexts(settled.value, props.database, false, signal),
)
const offered = computed(() =>
  words.value.trim() ? (found.value ?? []).filter((one) => !listed.value.includes(one)) : [],
)
function stop(place: string) {
  become(place, false)
  words.value = ''
}
</script>

<template>
  <p v-for="place in listed" :key="place" class="one">
    <span class="mono">{{ place }}</span>
    <select
      :value="late.includes(place) ? 'late' : 'not'"
      :aria-label="`How ${place} runs`"
      @change="become(place, ($event.target as HTMLSelectElement).value === 'late')"
    >
      <option value="not">does not run</option>
      <option value="late">comes late</option>
    </select>
    <button class="link" :aria-label="`take back ${place}`" @click="takeBack(place)">
      take back
    </button>
  </p>
  <input
    v-model="words"
    type="search"
    placeholder="a file or statement that stops…"
    aria-label="Find what would not run"
    @keydown.enter="offered[0] && stop(offered[0])"
  />
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <ul v-if="offered.length" aria-label="What is run">
    <li v-for="place in offered.slice(0, 8)" :key="place">
      <button class="link mono" @click="stop(place)">{{ place }}</button>
    </li>
  </ul>
  <p v-else-if="words.trim() && found && words === settled" class="mute small">
    Nothing that is run has these words.
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
.one span {
  overflow-wrap: anywhere;
  flex: 1;
}
.one button {
  white-space: nowrap;
}
select {
  border: 0;
  background: transparent;
  color: var(--ink);
  font: inherit;
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
