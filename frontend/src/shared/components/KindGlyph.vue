<script setup lang="ts">
// Our own small drawings, one stroke weight, one for each kind of dataset and element.
const drawings: Record<string, string> = {
  table: 'M1.500 2.500h11v9h-11zM1.500 5.500h11M5.500 5.500v6',
  view: 'M1.500 7c3-5.500 8-5.500 11 0c-3 5.500-8 5.500-11 0zM7 5.300a1.700 1.700 0 1 0 .01 0z',
  'materialised view':
    'M1.500 5.500c3-4.500 8-4.500 11 0c-3 4.500-8 4.500-11 0zM7 4.200a1.300 1.300 0 1 0 .01 0zM2 12h10',
  'foreign table':
    'M4.500 2.500h8v9h-8zM4.500 5.500h8M.8 8.500h6M4.600 6.300l2.200 2.200l-2.200 2.200',
  'temporary table':
    'M1.500 2.500h3M6 2.500h3M10.500 2.500h2v2M12.500 6v3M12.500 11v.5h-3M8 11.500h-3M3.500 11.500h-2v-2M1.500 8v-3',
  report: 'M2.500 1.500h9v11h-9zM5 9.800v-2M7 9.800v-5M9 9.800v-3.500',
  chart: 'M2 12V7M6 12V3M10 12V5M1 12.500h12',
  figure: 'M3 4.500h8M3 9.500h8M5.500 2l-1 10M9.500 2l-1 10',
  filter: 'M1.500 2.500h11l-4.200 5v4.500l-2.600-1.500v-3z',
}
defineProps<{ kind: string }>()
</script>

<template>
  <svg class="glyph" viewBox="0 0 14 14" aria-hidden="true">
    <path :d="drawings[kind] ?? drawings.table" />
  </svg>
</template>

<style scoped>
.glyph {
  flex: none;
  width: 14px;
  height: 14px;
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.2;
  stroke-linejoin: round;
}
</style>
