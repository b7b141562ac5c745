<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, defineAsyncComponent, ref, watch } from 'vue'
import { api, type Schemas } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { plural } from '@/shared/format/humane'

/** A text to be edited, with the columns that it makes beside it, and what each of these is made of. */
const SqlEditor = defineAsyncComponent(() => import('@/shared/components/SqlEditor.vue'))
const props = defineProps<{
  place: string
  edited: string | undefined
  database: string | undefined
  failures: { start: number; end: number; message: string }[]
}>()
const emit = defineEmits<{ edit: [text: string | null] }>()

const { data: known, error } = useAsked(
  () => ['change text', props.place, props.database],
  (signal) => api.changeText(props.place, props.database, signal),
)
const text = ref<string | null>(props.edited ?? null)
watch(
  [() => props.place, () => props.edited, known],
  () => {
    if (props.edited !== undefined) text.value = props.edited
    else if (known.value?.place === props.place) text.value = known.value.text
    else text.value = null
  },
  { immediate: true },
)
function write(now: string) {
  if (now === text.value) return
  text.value = now
  emit('edit', now === known.value?.text ? null : now)
}

const settled = refDebounced(text, 60)
const { data: read } = useAsked(
  () =>
    settled.value === null ? null : ['change read', settled.value, props.place, props.database],
  (signal) =>
    api.readChangeText(
      {
        text: settled.value ?? '',
        place: props.place,
        dialect: known.value?.dialect ?? 'postgresql',
        database: props.database,
      },
      signal,
    ),
)
/** Half a statement tells of no tables: those that it read a moment ago are still meant. */
const tables = ref<Record<string, string[]>>({})
watch(read, (now) => (tables.value = { ...tables.value, ...now?.tables }))
const problems = computed(() => [
  ...(read.value?.problems ?? []).map((one) => ({
    ...one,
    message: [one.message, one.hint].filter(Boolean).join('. '),
  })),
  ...props.failures.map((one) => ({ ...one, level: 'error' })),
])
const makes = computed(() => (read.value?.statements ?? []).filter((one) => one.outputs.length))
const unread = computed(() => read.value?.problems.some((one) => one.level === 'error'))
const at = ref(-1)
const marked = ref<[number, number] | null>(null)
const here = computed(
  () => (output: Schemas['ReadOutput']) => output.start <= at.value && at.value <= output.end,
)

/** The table that a name in front of a column stands for: its own, or an alias that the text gives it. */
function tableOf(name: string): string | null {
  const known = Object.keys(tables.value)
  const own = known.find((one) => one === name || one.endsWith(`.${name}`))
  if (own) return own
  const alias = /^\w+$/.test(name) ? new RegExp(`([\\w.]+)\\s+(?:as\\s+)?${name}\\b`, 'gi') : null
  const named = alias ? [...(text.value ?? '').matchAll(alias)].map((one) => one[1] ?? '') : []
  return (
    known.find((one) => named.some((other) => one === other || one.endsWith(`.${other}`))) ?? null
  )
}
async function complete(word: string) {
  const before = word.split('.').slice(0, -1).join('.')
  const begun = (word.split('.').pop() ?? '').toLowerCase()
  const table = before ? tableOf(before) : null
  if (table)
    return (tables.value[table] ?? [])
      .filter((one) => one.toLowerCase().startsWith(begun))
      .map((one) => ({ name: `${before}.${one}`, kind: table }))
  const found = word ? Object.keys(await api.changeTables(word, props.database)) : []
  const there = found
    .filter((one) => !before || one.startsWith(word))
    .map((name) => ({ name, kind: 'table' }))
  if (before) return there
  const columns = Object.entries(tables.value).flatMap(([kind, listed]) =>
    listed.map((name) => ({ name, kind })),
  )
  return [...columns.filter((one) => one.name.toLowerCase().startsWith(begun)), ...there]
}
</script>

<template>
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <p v-else-if="text === null" class="mute">Reading the text…</p>
  <div v-else class="both">
    <SqlEditor
      :model-value="text"
      :label="`The text of ${place}`"
      :problems="problems"
      :marked="marked"
      :complete="complete"
      @update:model-value="write"
      @at="at = $event"
    />
    <div class="makes" tabindex="0" aria-label="What it makes">
      <template v-for="(one, n) in makes" :key="n">
        <h3>
          {{ one.target ?? 'what it answers' }}
          <span>{{ plural(one.outputs_total, 'column') }}</span>
        </h3>
        <p
          v-for="(output, m) in one.outputs"
          :key="m"
          :class="{ here: here(output) }"
          @pointerenter="marked = [output.start, output.end]"
          @pointerleave="marked = null"
        >
          <b>{{ output.name }}</b>
          <span v-if="output.values.length" class="mute"> of {{ output.values.join(', ') }}</span>
          <span v-else class="mute"> of no column</span>
        </p>
        <p v-if="one.rows.length" class="rows mute">rows by {{ one.rows.join(', ') }}</p>
      </template>
      <p v-if="read && !makes.length" class="mute">
        {{ unread ? 'As it stands it cannot be read.' : 'It makes no columns.' }}
      </p>
    </div>
  </div>
</template>

<style scoped>
.both {
  display: grid;
  grid-template-columns: minmax(0, 1.5fr) minmax(0, 1fr);
  gap: 14px;
  height: 380px;
  margin: 8px 0;
}
.makes {
  overflow: auto;
  font-size: 12px;
}
h3 {
  display: flex;
  justify-content: space-between;
  font-size: 12px;
  margin: 0 0 2px;
  border-bottom: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
h3 span {
  font-weight: 400;
  color: var(--mute);
  white-space: nowrap;
}
.makes p {
  margin: 0;
  padding: 1px 4px;
  overflow-wrap: anywhere;
}
.makes p.here,
.makes p:hover {
  background: var(--sign-wash);
}
.rows {
  margin-bottom: 10px;
}
</style>
