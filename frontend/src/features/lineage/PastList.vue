<script setup lang="ts">
import { computed, ref } from 'vue'
import { api } from '@/api/client'
import MomentList from '@/features/history/MomentList.vue'
import { fromField } from '@/features/history/moments'
import { useAsked } from '@/shared/composables/useAsked'
import { usePages } from '@/shared/composables/usePages'
import type { LineageState } from './useLineage'

/** What has happened to what is here: each moment is one to look from, or to compare. */
const props = defineProps<{ state: LineageState }>()
const withRuns = ref(false)
const dataset = computed(() => props.state.dataset.value)
const { data, error, loading } = useAsked(
  () => (dataset.value === null ? null : ['history', dataset.value, withRuns.value]),
  (signal) => api.datasetHistory(dataset.value ?? 0, withRuns.value, undefined, signal),
)
const { items, more, next, refused } = usePages(data, (cursor) =>
  api.datasetHistory(dataset.value ?? 0, withRuns.value, cursor),
)
function goTo(written: string) {
  const time = fromField(written)
  if (time) props.state.openMoment(time)
}
</script>

<template>
  <div class="past">
    <p class="how">
      <label><input v-model="withRuns" type="checkbox" /> runs too</label>
      <label
        >any time
        <input
          type="datetime-local"
          aria-label="Show it as it was at this time"
          @change="goTo(($event.target as HTMLInputElement).value)"
      /></label>
    </p>
    <p v-if="error ?? refused" class="state bad" role="alert">{{ error ?? refused }}</p>
    <p v-else-if="!data && loading" class="mute">Reading what happened…</p>
    <p v-else-if="data && !items.length" class="mute">Nothing has happened to it yet.</p>
    <MomentList
      :moments="items"
      :shown="state.at.value"
      @open="state.openMoment"
      @compare="state.compareBefore"
    />
    <p v-if="next"><button class="link" @click="more">show more</button></p>
  </div>
</template>

<style scoped>
.past {
  overflow: auto;
  padding: 6px 20px 10px;
  font-size: 12px;
}
.how {
  display: flex;
  gap: 20px;
  margin: 0 0 4px;
  color: var(--mute);
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.how input[type='datetime-local'] {
  border: 0;
  border-bottom: 1px solid var(--hair);
  background: transparent;
  font-size: 12px;
}
</style>
