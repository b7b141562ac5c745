<script setup lang="ts">
import { api, type DatasetFacts } from '@/api/client'
import { useAttempt } from '@/shared/composables/useAttempt'
import DatasetPicker from './DatasetPicker.vue'

const props = defineProps<{ facts: DatasetFacts }>()
const emit = defineEmits<{ done: []; leave: [] }>()
const { problem, attempt } = useAttempt()

async function join(into: number) {
  if (await attempt(() => api.join(props.facts.id, into))) emit('done')
}
</script>

<template>
  <div>
    <h4>It is the same as</h4>
    <p v-if="problem" class="state bad" role="alert">{{ problem }}</p>
    <DatasetPicker
      :except="facts.id"
      label="Name of the other dataset"
      @choose="join($event.dataset)"
      @leave="emit('leave')"
    />
    <small>Both go by that name from now on. It can be taken back, and nothing is lost.</small>
    <button class="link" @click="emit('leave')">leave it</button>
  </div>
</template>

<style scoped>
h4 {
  font-size: 11px;
  color: var(--mute);
  margin: 9px 0 3px;
}
small {
  display: block;
  color: var(--mute);
  font-size: 11px;
}
</style>
