<script setup lang="ts">
import { computed } from 'vue'
import { count } from '@/shared/format/humane'
import UsualMark from './UsualMark.vue'
import { took, type RunRow } from './words'

/** How long a run took, or has taken until now, and how many rows it wrote; each beside what is usual. */
const props = defineProps<{ row: RunRow; now: Date }>()
const seconds = computed(() => {
  const { row, now } = props
  if (row.took !== null || row.state !== 'running') return row.took
  return (now.getTime() - new Date(row.started_at).getTime()) / 1000
})
</script>

<template>
  <UsualMark :value="row.took" :usual="row.usual_took" :say="took">
    <span class="number">{{ seconds === null ? '' : took(seconds) }}</span>
  </UsualMark>
  <UsualMark :value="row.rows" :usual="row.usual_rows" :say="(n) => count(Math.round(n))">
    <span class="number">{{ row.rows === null ? '' : count(row.rows) }}</span>
  </UsualMark>
</template>

<style scoped>
.number {
  display: inline-block;
  min-width: 62px;
}
</style>
