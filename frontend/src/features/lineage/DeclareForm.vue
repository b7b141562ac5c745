<script setup lang="ts">
import { ref } from 'vue'
import { api, type ColumnFact, type DatasetFacts, type Found } from '@/api/client'
import { useAttempt } from '@/shared/composables/useAttempt'
import DatasetPicker from './DatasetPicker.vue'
import SaidFields from './SaidFields.vue'
import './declaring.css'

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
const { problem, busy, attempt } = useAttempt()

async function choose(found: Found) {
  target.value = found
  columns.value = (await api.dataset(found.dataset)).columns
}
async function declare() {
  const at = target.value
  if (!at) return
  const made = await attempt(() =>
    api.declareLink({
      from_dataset: props.facts.id,
      from_field: from.value,
      to_dataset: at.dataset,
      to_field: to.value,
      kind: kind.value,
      because: because.value,
      by: by.value,
    }),
  )
  if (made) emit('done')
}
</script>

<template>
  <form class="declaring" @submit.prevent="declare">
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
      <SaidFields v-model:because="because" v-model:by="by" :busy="busy" ready />
    </template>
    <button type="button" class="link" @click="emit('leave')">leave it</button>
  </form>
</template>
