<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '@/api/client'

const props = defineProps<{
  value: number | null
  usual: Schemas['UsualFact'] | null
  say: (value: number) => string
}>()

const WIDTH = 60
/** Where numbers stand: what is usual in the middle, this one wherever it is, at the edge where it is far away. */
const figure = computed(() => {
  const usual = props.usual
  if (!usual || props.value === null) return null
  const reach = Math.max(usual.high - usual.low, usual.middle * 0.2, 1e-9)
  const from = usual.low - reach * 0.7
  const scale = WIDTH / (reach * 2.4)
  const at = (value: number) => Math.min(WIDTH - 1.5, Math.max(1.5, (value - from) * scale))
  return { low: at(usual.low), high: at(usual.high), here: at(props.value) }
})
const told = computed(() => {
  const usual = props.usual
  if (!usual) return 'too few runs to say what is usual'
  const range = `usually ${props.say(usual.low)} to ${props.say(usual.high)}, of ${usual.runs} runs`
  return usual.verdict ? `${usual.verdict === 'low' ? 'less' : 'more'} than usual: ${range}` : range
})
</script>

<template>
  <span class="usual" :class="usual?.verdict" :title="told">
    <slot />
    <svg v-if="figure" :width="WIDTH" height="14" role="img" :aria-label="told">
      <line x1="0" y1="10.500" :x2="WIDTH" y2="10.500" class="axis" />
      <rect :x="figure.low" y="4" :width="Math.max(2, figure.high - figure.low)" height="7" />
      <line :x1="figure.here" y1="1" :x2="figure.here" y2="13" class="here" />
    </svg>
  </span>
</template>

<style scoped>
.usual {
  display: inline-flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
.axis {
  stroke: var(--hair-strong);
  stroke-width: 1;
}
rect {
  fill: var(--hair);
}
.here {
  stroke: var(--ink);
  stroke-width: 2;
}
.low .here,
.high .here {
  stroke: var(--brick);
}
</style>
