<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'

/** Relations into which other rows come from outside, and columns into which other values do. */
const props = defineProps<{ names: string[]; database: string | undefined }>()
const emit = defineEmits<{ change: [names: string[]] }>()

const words = ref('')
const settled = refDebounced(words, 200)
/** Behind the table's name may stand a column's. */
const table = computed(() => settled.value.trim().split(/\s+/)[0] ?? '')
const { data: found, error } = useAsked(
  () => (table.value ? ['change tables', table.value, props.database] : null),
  (signal) => api.changeTables(table.value, props.database, signal),
)
const offered = computed(() => {
  const wanted = words.value.toLowerCase().trim().split(/\s+/)
  const every = Object.entries(found.value ?? {}).flatMap(([name, columns]) => [
    name,
    ...columns.map((one) => `${name}.${one}`),
  ])
  return words.value.trim()
    ? every.filter(
        (one) =>
          !props.names.includes(one) && wanted.every((word) => one.toLowerCase().includes(word)),
      )
    : []
})
function add(name: string) {
  emit('change', [...props.names, name])
  words.value = ''
}
</script>

<template>
  <p v-for="name in names" :key="name" class="one">
    <span class="mono">{{ name }}</span>
    <button
      class="link"
      :aria-label="`take back ${name}`"
      @click="
        emit(
          'change',
          names.filter((one) => one !== name),
        )
      "
    >
      take back
    </button>
  </p>
  <input
    v-model="words"
    type="search"
    placeholder="a table: other rows; a column: other values…"
    aria-label="Find what would be delivered otherwise"
    @keydown.enter="offered[0] && add(offered[0])"
  />
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <ul v-if="offered.length" aria-label="Tables and columns">
    <li v-for="name in offered.slice(0, 8)" :key="name">
      <button class="link mono" @click="add(name)">{{ name }}</button>
    </li>
  </ul>
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
