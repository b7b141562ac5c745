<script setup lang="ts">
import { computed } from 'vue'
import type { IngestionFact } from '@/api/client'
import { exact, share } from '@/shared/format/humane'

/** The share of statements read in full, one ingestion after the other: a line of steps. */
const props = defineProps<{ ingestions: IngestionFact[] }>()
const WIDTH = 320
const HEIGHT = 44
const points = computed(() =>
  props.ingestions
    .filter((one) => one.state === 'done' && one.coverage?.full_share != null)
    .slice(0, 40)
    .reverse()
    .map((one) => ({ id: one.id, at: one.finished_at, share: one.coverage!.full_share! })),
)
const low = computed(() => Math.min(0.9, ...points.value.map((point) => point.share)))
function y(value: number): number {
  const floor = Math.floor(low.value * 10) / 10
  return 4 + (1 - (value - floor) / (1 - floor || 1)) * (HEIGHT - 8)
}
const step = computed(() => WIDTH / Math.max(1, points.value.length))
const path = computed(() =>
  points.value
    .map(
      (p, i) => `${i ? 'V' : `M0 `}${y(p.share).toFixed(1)}H${((i + 1) * step.value).toFixed(1)}`,
    )
    .join(''),
)
</script>

<template>
  <figure v-if="points.length > 1">
    <svg
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      role="img"
      :aria-label="`Read in full over the last ${points.length} ingestions: from ${share(points[0]?.share)} to ${share(points.at(-1)?.share)}`"
    >
      <line x1="0" :x2="WIDTH" :y1="y(1)" :y2="y(1)" class="top" />
      <path :d="path" />
      <rect
        v-for="(point, i) in points"
        :key="point.id"
        :x="i * step"
        y="0"
        :width="step"
        :height="HEIGHT"
        class="touch"
      >
        <title>{{ share(point.share) }} on {{ exact(point.at) }}</title>
      </rect>
    </svg>
    <figcaption>read in full, over the last {{ points.length }} ingestions</figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
svg {
  display: block;
  width: 100%;
  max-width: 320px;
  height: 44px;
}
path {
  fill: none;
  stroke: var(--sign);
  stroke-width: 2;
}
.top {
  stroke: var(--hair-strong);
  stroke-dasharray: 2 3;
}
.touch {
  fill: transparent;
}
.touch:hover {
  fill: var(--sign-wash);
}
figcaption {
  font-size: 11px;
  color: var(--mute);
}
</style>
