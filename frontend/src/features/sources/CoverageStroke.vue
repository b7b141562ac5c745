<script setup lang="ts">
import { computed } from 'vue'
import type { CoverageFact } from '@/api/client'
import { plural, share } from '@/shared/format/humane'

/** How much was read, as one stroke: solid in full, hatched in part, empty not at all. */
const props = defineProps<{ coverage: CoverageFact }>()
const statements = computed(() => props.coverage.full + props.coverage.part + props.coverage.none)
const words = computed(
  () =>
    `${plural(statements.value, 'statement')}: ${props.coverage.full} read in full, ` +
    `${props.coverage.part} in part, ${props.coverage.none} not at all`,
)
</script>

<template>
  <span class="stroke" :title="words">
    <span class="line" role="img" :aria-label="words">
      <i v-if="coverage.full" class="full" :style="{ flexGrow: coverage.full }"></i>
      <i v-if="coverage.part" class="part" :style="{ flexGrow: coverage.part }"></i>
      <i v-if="coverage.none" class="none" :style="{ flexGrow: coverage.none }"></i>
    </span>
    <span class="number">{{ share(coverage.full_share) }}</span>
  </span>
</template>

<style scoped>
.stroke {
  display: flex;
  align-items: center;
  gap: 8px;
}
.line {
  display: flex;
  gap: 1px;
  flex: 1;
  height: 7px;
  min-width: 60px;
  background: var(--hair);
}
i {
  flex-basis: 4px;
}
.full {
  background: var(--sign);
}
.part {
  background: repeating-linear-gradient(135deg, var(--amber) 0 2px, var(--sheet) 2px 4px);
}
.none {
  background: var(--sheet);
  outline: 1px solid var(--brick);
  outline-offset: -1px;
}
.number {
  width: 52px;
  text-align: right;
  font-size: 12px;
}
</style>
