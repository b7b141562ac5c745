<script setup lang="ts">
// Our own small drawings, one stroke weight, one for each kind of source.
const drawings: Record<string, string> = {
  postgresql:
    'M2 3.500c0-2.500 10-2.500 10 0v7c0 2.500-10 2.500-10 0zM2 3.500c0 2.500 10 2.500 10 0M2 7c0 2.500 10 2.500 10 0',
  repository: 'M3.500 1.500v11M3.500 4.500c0 3 7 1 7 5v3M2.300 2.500h2.400M9.300 11.500h2.400',
  history: 'M7 1.500a5.500 5.500 0 1 1-5 3.200M2 1.500v3.200h3.200M7 4v3.300l2.300 1.400',
  reports: 'M1.500 12.500h11M3 12.500v-4h2v4M6.500 12.500v-8h2v8M10 12.500v-10h2v10',
  tabular: 'M1.500 2.500h11v9h-11zM1.500 5.500h11M1.500 8.500h11M6 2.500v9',
  declared: 'M3 12.500l-.5-2.500l7-8l2.500 2.200l-7 8zM8 3.700l2.500 2.200',
  events: 'M1 7h3l1.500-4l3 8l1.500-4h3',
}
defineProps<{ kind: string }>()
</script>

<template>
  <svg class="glyph" viewBox="0 0 14 14" aria-hidden="true">
    <path :d="drawings[kind] ?? drawings.tabular" />
  </svg>
</template>

<style scoped>
.glyph {
  flex: none;
  width: 16px;
  height: 16px;
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.2;
  stroke-linejoin: round;
}
</style>
