<script setup lang="ts">
import { ref } from 'vue'
import { api } from '@/api/client'
import { useAsked } from '@/shared/composables/useAsked'
import { exact } from '@/shared/format/humane'
import { clock, shortJob, stateOf, took } from './words'

/** The runs that a run has called; each opens to show its own, step by step. */
const props = defineProps<{ run: string; caller: string }>()
defineEmits<{ open: [run: string] }>()
const { data, error } = useAsked(
  () => ['run children', props.run],
  (signal) => api.runChildren(props.run, signal),
)
const opened = ref(new Set<string>())
function turn(run: string) {
  const now = new Set(opened.value)
  if (!now.delete(run)) now.add(run)
  opened.value = now
}
</script>

<template>
  <p v-if="error" class="state bad" role="alert">{{ error }}</p>
  <p v-else-if="!data" class="mute">Reading…</p>
  <ul v-else>
    <li v-for="row in data" :key="row.run">
      <button
        class="turn"
        :aria-expanded="opened.has(row.run)"
        :aria-label="`What ${row.job.name} called`"
        @click="turn(row.run)"
      >
        {{ opened.has(row.run) ? '▾' : '▸' }}
      </button>
      <span class="state" :class="stateOf(row.state).tone">{{ stateOf(row.state).mark }}</span>
      <button class="link job" @click="$emit('open', row.run)">
        {{ shortJob(row.job.name, caller) }}
      </button>
      <span class="mute" :title="exact(row.started_at)">{{ clock(row.started_at) }}</span>
      <span v-if="row.took !== null" class="mute">{{ took(row.took) }}</span>
      <RunTree
        v-if="opened.has(row.run)"
        :run="row.run"
        :caller="row.job.name"
        @open="$emit('open', $event)"
      />
    </li>
    <li v-if="!data.length" class="mute">called nothing</li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0 0 0 14px;
}
ul :deep(ul) {
  border-left: 1px solid var(--hair);
  margin-left: 5px;
}
li > * + * {
  margin-left: 6px;
}
.turn {
  color: var(--mute);
  width: 12px;
}
.job {
  color: var(--ink);
}
</style>
