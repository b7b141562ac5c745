<script setup lang="ts">
import { ref } from 'vue'
import { api, ApiError, type ColumnFact, type DatasetFacts, type Found } from '@/api/client'
import DatasetPicker from './DatasetPicker.vue'

/** Declares a link that no text tells of: from here to another dataset. */
const props = defineProps<{ facts: DatasetFacts }>()
const emit = defineEmits<{ done: []; leave: [] }>()
const target = ref<Found | null>(null)
const columns = ref<ColumnFact[]>([])
const from = ref<number | null>(null)
const to = ref<number | null>(null)
const kind = ref<'value' | 'condition'>('value')
const because = ref('')
const by = ref('')
const problem = ref<string | null>(null)

async function choose(found: Found) {
  target.value = found
  columns.value = (await api.dataset(found.dataset)).columns
}
async function declare() {
  if (!target.value) return
  problem.value = null
  try {
    await api.declare({
      from_dataset: props.facts.id,
      from_field: from.value,
      to_dataset: target.value.dataset,
      to_field: to.value,
      kind: kind.value,
      because: because.value,
      by: by.value,
    })
    emit('done')
  } catch (error) {
    if (!(error instanceof ApiError)) throw error
    problem.value = error.message
  }
}
</script>

<template>
  <form @submit.prevent="declare">
    <h4>It feeds</h4>
    <p v-if="problem" class="state bad" role="alert">{{ problem }}</p>
    <DatasetPicker
      v-if="!target"
      :except="facts.id"
      label="Name of the dataset that it feeds"
      @choose="choose"
      @leave="emit('leave')"
    />
    <template v-else>
      <p>{{ target.title }}</p>
      <label>
        from
        <select v-model="from">
          <option :value="null">all columns</option>
          <option v-for="column in facts.columns" :key="column.id" :value="column.id">
            {{ column.name }}
          </option>
        </select>
      </label>
      <label>
        to
        <select v-model="to">
          <option :value="null">
            {{ kind === 'value' ? 'all columns' : 'which rows there are' }}
          </option>
          <option v-for="column in columns" :key="column.id" :value="column.id">
            {{ column.name }}
          </option>
        </select>
      </label>
      <label>
        it
        <select v-model="kind">
          <option value="value">carries the value</option>
          <option value="condition">only decides</option>
        </select>
      </label>
      <label>because <input v-model="because" required maxlength="1000" /></label>
      <label>says <input v-model="by" required maxlength="200" placeholder="who" /></label>
      <button class="act" :disabled="!because.trim() || !by.trim()">Declare it</button>
    </template>
    <button type="button" class="link" @click="emit('leave')">leave it</button>
  </form>
</template>

<style scoped>
h4 {
  font-size: 11px;
  color: var(--mute);
  margin: 9px 0 3px;
}
p {
  margin: 0 0 3px;
}
label {
  display: grid;
  grid-template-columns: 58px minmax(0, 1fr);
  align-items: baseline;
  color: var(--mute);
  margin-bottom: 3px;
}
input,
select {
  border: 1px solid var(--hair-strong);
  border-radius: 3px;
  background: var(--paper);
  padding: 2px 6px;
  min-width: 0;
}
.act {
  border: 1px solid var(--sign);
  border-radius: 3px;
  padding: 3px 10px;
  margin-right: 10px;
}
.act:disabled {
  border-color: var(--hair-strong);
  color: var(--mute);
}
</style>
