<script setup lang="ts">
import { computed } from 'vue'
import { api } from '@/api/client'
import OfferedNames from './OfferedNames.vue'
import TakenName from './TakenName.vue'

/** The texts that are not run any more, or after all others: found by words, taken back one by one. */
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
const find = (words: string, signal: AbortSignal) =>
  api.changeTexts(words, props.database, false, signal)
</script>

<template>
  <TakenName
    v-for="place in listed"
    :key="place"
    :name="place"
    :label="`take back ${place}`"
    @back="takeBack(place)"
  >
    <template #more>
      <select
        :value="late.includes(place) ? 'late' : 'not'"
        :aria-label="`How ${place} runs`"
        @change="become(place, ($event.target as HTMLSelectElement).value === 'late')"
      >
        <option value="not">does not run</option>
        <option value="late">comes late</option>
      </select>
    </template>
  </TakenName>
  <OfferedNames
    what="change texts"
    placeholder="a file or statement that stops…"
    label="Find what would not run"
    offered="What is run"
    none="Nothing that is run has these words."
    :taken="listed"
    :database="database"
    :find="find"
    @take="(place) => become(place, false)"
  />
</template>

<style scoped>
select {
  border: 0;
  background: transparent;
  color: var(--ink);
  font: inherit;
}
</style>
