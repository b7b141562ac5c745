<script setup lang="ts">
import { computed } from 'vue'
import type { LineageMap } from '@/api/client'
import { plural } from '@/shared/format/humane'
import type { Column, Station } from './geometry'
import { laneNumbers } from './layout'

/** The whole road at a glance: its stations, its forks, and which part of it is in view. */
const props = defineProps<{
  map: LineageMap
  stations: Station[]
  placed: Column[]
  seen: { left: number; width: number; whole: number }
}>()
const emit = defineEmits<{ show: [offset: number] }>()

const PAD = 24
const Y = 16

/** Where each lane stands on the map, and what it is called. */
const stops = computed(() => {
  const folded = new Set(props.stations.flatMap((one) => (one.kind === 'strip' ? one.offsets : [])))
  const lanes = props.map.lanes
  const apart = (props.seen.width - 2 * PAD) / Math.max(1, lanes.length)
  return lanes.map((lane, i) => {
    const first = lane.datasets[0]
    const name = lane.total === 1 && first ? first.title : plural(lane.total, 'dataset')
    return {
      offset: lane.offset,
      x: PAD + apart * (i + 0.5),
      room: apart - 8,
      name,
      small: folded.has(lane.offset),
      // What is drawn is cut by its room; the whole name is in the title.
      short: name.length * 6.4 > apart - 8 && name.includes('.') ? name.split('.').at(-1) : name,
    }
  })
})

/** Roads that pass by lanes: which lanes they join, each pair once, the nearest first. */
const forks = computed(() => {
  const laneOf = laneNumbers(props.map)
  const pairs = new Map<string, [number, number]>()
  for (const link of props.map.crossings) {
    if (link.kind !== 'value') continue
    const from = laneOf.get(link.source_dataset)
    const to = laneOf.get(link.target_dataset)
    if (from !== undefined && to !== undefined && to - from > 1)
      pairs.set(`${from}>${to}`, [from, to])
  }
  return [...pairs.values()]
    .sort((a, b) => a[1] - a[0] - (b[1] - b[0]))
    .slice(0, 6)
    .map(([from, to], n) => {
      const [x1, x2] = [stops.value[from]?.x ?? 0, stops.value[to]?.x ?? 0]
      const y = n % 2 ? Y + 7 + Math.floor(n / 2) * 3 : Y - 7 - Math.floor(n / 2) * 3
      return `M${x1} ${Y}L${x1 + 10} ${y}H${x2 - 10}L${x2} ${Y}`
    })
})

/** The part of the road that is in view, where that is not all of it. */
const view = computed(() => {
  const { left, width, whole } = props.seen
  if (whole <= width + 1) return null
  const middle = (one: Column) => one.left + one.width / 2
  const seen = props.stations
    .flatMap((one, i) =>
      one.offsets.map((offset) => ({ offset, at: middle(props.placed[i] as Column) })),
    )
    .filter((one) => one.at >= left && one.at <= left + width)
    .map((one) => stops.value.find((stop) => stop.offset === one.offset)?.x ?? 0)
  if (!seen.length) return null
  const half = (stops.value[0]?.room ?? 0) / 2
  return { left: Math.min(...seen) - half, width: Math.max(...seen) - Math.min(...seen) + 2 * half }
})
</script>

<template>
  <nav class="glance" aria-label="The whole road">
    <svg :width="seen.width" height="34" aria-hidden="true">
      <rect v-if="view" class="view" :x="view.left" y="1" :width="view.width" height="32" />
      <path v-for="fork in forks" :key="fork" class="fork" :d="fork" />
      <path class="road" :d="`M${stops[0]?.x} ${Y}H${stops.at(-1)?.x}`" />
      <circle
        v-for="stop in stops"
        :key="stop.offset"
        :cx="stop.x"
        :cy="Y"
        :r="stop.small ? 3.5 : 6"
        :class="{ here: stop.offset === 0 }"
      />
    </svg>
    <button
      v-for="stop in stops"
      :key="stop.offset"
      :class="{ small: stop.small, here: stop.offset === 0 }"
      :style="{ left: `${stop.x - stop.room / 2}px`, width: `${stop.room}px` }"
      :title="`${stop.name}: show it`"
      :data-station="stop.offset"
      @click="emit('show', stop.offset)"
    >
      {{ stop.short }}
    </button>
  </nav>
</template>

<style scoped>
.glance {
  position: relative;
  height: 52px;
  border-bottom: 1px solid var(--hair);
  overflow: hidden;
}
svg {
  display: block;
}
path {
  fill: none;
  stroke: var(--sign);
}
.road {
  stroke-width: 2.4;
}
.fork {
  stroke-width: 1.4;
  opacity: 0.45;
}
circle {
  fill: var(--paper);
  stroke: var(--sign);
  stroke-width: 2;
}
circle.here {
  fill: var(--sign);
}
.view {
  fill: var(--sign-wash);
}
button {
  position: absolute;
  top: 4px;
  height: 44px;
  padding-top: 25px;
  font-size: 11px;
  line-height: 15px;
  text-align: center;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
button.small {
  color: var(--mute);
}
button.here {
  font-weight: 600;
}
button:hover {
  color: var(--sign);
}
</style>
